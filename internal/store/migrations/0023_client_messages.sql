-- Messages go to clients too. One can be kept for later (a reminder), or held back for one booking.
CREATE TABLE messages_new (
  id         INTEGER PRIMARY KEY,
  kind       TEXT NOT NULL,
  staff_id   INTEGER NOT NULL DEFAULT 0,
  booking_id INTEGER NOT NULL DEFAULT 0,
  about      TEXT NOT NULL,
  thing      INTEGER NOT NULL DEFAULT 0,
  message_id TEXT NOT NULL UNIQUE,
  recipient  TEXT NOT NULL,
  subject    TEXT NOT NULL,
  text       BLOB,
  was        TEXT NOT NULL DEFAULT '',
  state      TEXT NOT NULL CHECK (state IN ('waiting', 'sent', 'refused', 'overtaken', 'held back')),
  error      TEXT NOT NULL DEFAULT '',
  attempts   INTEGER NOT NULL DEFAULT 0,
  made_at    INTEGER NOT NULL,
  not_before INTEGER NOT NULL DEFAULT 0,
  until      INTEGER NOT NULL,
  settled_at INTEGER NOT NULL DEFAULT 0,
  tried_at   INTEGER NOT NULL DEFAULT 0,
  next_at    INTEGER NOT NULL DEFAULT 0
);
INSERT INTO messages_new (id, kind, staff_id, about, thing, message_id, recipient, subject, text, state, error, attempts, made_at, until, settled_at, tried_at, next_at)
  SELECT id, kind, staff_id, about, thing, message_id, recipient, subject, text, state, error, attempts, made_at, until, settled_at, tried_at, next_at FROM messages;
DROP TABLE messages;
ALTER TABLE messages_new RENAME TO messages;
CREATE INDEX messages_due ON messages(next_at) WHERE next_at < 9000000000000000000;
CREATE INDEX messages_ahead_of_time ON messages(tried_at) WHERE next_at < 9000000000000000000;
CREATE INDEX messages_settled ON messages(settled_at);
CREATE INDEX messages_about ON messages(about, made_at);
CREATE INDEX messages_of_booking ON messages(booking_id) WHERE booking_id > 0;
CREATE TRIGGER messages_of_staff_go AFTER DELETE ON staff BEGIN DELETE FROM messages WHERE staff_id = OLD.id; END;
CREATE TRIGGER messages_of_bookings_go AFTER DELETE ON bookings BEGIN DELETE FROM messages WHERE booking_id = OLD.id AND booking_id > 0; END;

-- Further addresses that manage a booking, as they stand in mail; the first is the booking's own.
CREATE TABLE ways (
  token_hash TEXT PRIMARY KEY,
  booking_id INTEGER NOT NULL REFERENCES bookings(id) ON DELETE CASCADE,
  made_at    INTEGER NOT NULL
) WITHOUT ROWID;
CREATE INDEX ways_of_booking ON ways(booking_id);

-- How often the time of a booking has changed, which its invitation says; and by which clock its client reads.
ALTER TABLE bookings ADD COLUMN sequence INTEGER NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN client_clock TEXT NOT NULL DEFAULT '24';

-- What is sent about bookings of a service, and when.
ALTER TABLE services ADD COLUMN messages TEXT NOT NULL DEFAULT '{}';
