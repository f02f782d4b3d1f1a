-- What somebody has to look at: each is known again by its cause, and open as long as that is there. kept_at says since
-- when somebody has left it as it is, put_off until when it is out of sight.
CREATE TABLE items (
  id        INTEGER PRIMARY KEY,
  kind      TEXT NOT NULL,
  cause     TEXT NOT NULL,
  staff_id  INTEGER REFERENCES staff(id) ON DELETE SET NULL,
  title     TEXT NOT NULL,
  found_at  INTEGER NOT NULL,
  closed_at INTEGER NOT NULL DEFAULT 0,
  kept_at   INTEGER NOT NULL DEFAULT 0,
  kept_by   TEXT NOT NULL DEFAULT '',
  put_off   INTEGER NOT NULL DEFAULT 0
);
CREATE UNIQUE INDEX items_open ON items(cause) WHERE closed_at = 0;
CREATE INDEX items_by_end ON items(closed_at, id);
CREATE INDEX bookings_pending ON bookings(visit_id) WHERE status = 'pending';
CREATE INDEX clashes_all_open ON clashes(visit_id) WHERE closed_at = 0;
CREATE INDEX copies_otherwise ON copies(visit_id) WHERE state = 'adrift' AND drift = '';
