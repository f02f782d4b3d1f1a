-- How copies name clients; and whether they are there for what is only asked for, and for the time before and after.
ALTER TABLE links ADD COLUMN clients TEXT NOT NULL DEFAULT 'named' CHECK (clients IN ('named', 'guests', 'unnamed'));
UPDATE links SET clients = 'unnamed' WHERE unnamed;
ALTER TABLE links DROP COLUMN unnamed;
ALTER TABLE links ADD COLUMN pending INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN buffers INTEGER NOT NULL DEFAULT 0;

-- A visit has up to three events in a calendar: itself, and the time before and after.
CREATE TABLE copies_next (
  id           INTEGER PRIMARY KEY,
  visit_id     INTEGER NOT NULL REFERENCES visits(id),
  calendar_id  INTEGER NOT NULL REFERENCES calendars(id),
  part         TEXT NOT NULL DEFAULT '' CHECK (part IN ('', 'before', 'after')),
  path         TEXT NOT NULL,
  address      TEXT NOT NULL,
  etag         TEXT NOT NULL DEFAULT '',
  wanted       INTEGER NOT NULL,
  sequence     INTEGER NOT NULL DEFAULT 0,
  state        TEXT NOT NULL,
  error        TEXT NOT NULL DEFAULT '',
  attempts     INTEGER NOT NULL DEFAULT 0,
  rewrites     INTEGER NOT NULL DEFAULT 0,
  unsure       TEXT NOT NULL DEFAULT '',
  unsure_until INTEGER NOT NULL DEFAULT 0,
  wished_at    INTEGER NOT NULL DEFAULT 0,
  tried_at     INTEGER NOT NULL DEFAULT 0,
  next_at      INTEGER NOT NULL DEFAULT 0,
  drift        TEXT NOT NULL DEFAULT '',
  lies_start   INTEGER NOT NULL DEFAULT 0,
  lies_end     INTEGER NOT NULL DEFAULT 0,
  put_backs    INTEGER NOT NULL DEFAULT 0,
  put_back_at  INTEGER NOT NULL DEFAULT 0,
  UNIQUE (visit_id, calendar_id, part)
);
INSERT INTO copies_next (id, visit_id, calendar_id, path, address, etag, wanted, sequence, state, error, attempts, rewrites, unsure, unsure_until,
    wished_at, tried_at, next_at, drift, lies_start, lies_end, put_backs, put_back_at)
  SELECT id, visit_id, calendar_id, path, address, etag, wanted, sequence, state, error, attempts, rewrites, unsure, unsure_until,
    wished_at, tried_at, next_at, drift, lies_start, lies_end, put_backs, put_back_at FROM copies;
DROP TABLE copies;
ALTER TABLE copies_next RENAME TO copies;
CREATE INDEX copies_due ON copies(next_at) WHERE next_at < 9000000000000000000;
CREATE INDEX copies_ahead_of_time ON copies(tried_at) WHERE next_at < 9000000000000000000;
CREATE INDEX copies_by_calendar ON copies(calendar_id);
CREATE INDEX copies_adrift ON copies(calendar_id) WHERE drift <> '';

-- A copy that its owner has made of a copy is told at its visit.
CREATE INDEX objects_of_visits ON objects(visit_id) WHERE visit_id > 0;
