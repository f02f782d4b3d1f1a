-- Addresses that pages had: they lead to the page for ever, and are given to no other.
CREATE TABLE former_slugs (
  slug       TEXT PRIMARY KEY,
  service_id INTEGER NOT NULL REFERENCES services(id) ON DELETE CASCADE,
  since      INTEGER NOT NULL
) WITHOUT ROWID;

-- Within which limits clients move and cancel by themselves: minutes before the visit, and how often. Nothing is limited by 0, but for times of -1: never.
ALTER TABLE services ADD COLUMN move_until INTEGER NOT NULL DEFAULT 0;
ALTER TABLE services ADD COLUMN cancel_until INTEGER NOT NULL DEFAULT 0;
ALTER TABLE services ADD COLUMN move_times INTEGER NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN moved_by_client INTEGER NOT NULL DEFAULT 0;

-- Within how many minutes a request is answered, or let go; 0 where nothing has to be approved.
ALTER TABLE services ADD COLUMN approve_within INTEGER NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN answer_by INTEGER NOT NULL DEFAULT 0;
CREATE INDEX bookings_to_answer ON bookings(answer_by) WHERE status = 'pending';

-- Where people are called who may not move or cancel by themselves any more.
ALTER TABLE businesses ADD COLUMN phone TEXT NOT NULL DEFAULT '';
