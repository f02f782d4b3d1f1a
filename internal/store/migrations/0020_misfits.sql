-- Bookings that a change of rules left outside them, with the word of who made it that they are kept.
CREATE TABLE misfits (
  booking_id INTEGER PRIMARY KEY REFERENCES bookings(id) ON DELETE CASCADE,
  found_at   INTEGER NOT NULL
);
