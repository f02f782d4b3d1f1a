-- Everything that is edited has a version, so that nobody saves over a newer one unseen.
CREATE TABLE versions (
  thing   TEXT PRIMARY KEY,
  version INTEGER NOT NULL
) WITHOUT ROWID;

-- What is known of the data folder itself.
CREATE TABLE settings (
  name  TEXT PRIMARY KEY,
  value BLOB NOT NULL
) WITHOUT ROWID;

-- An account's calendars are listed again from time to time. A link that is closing goes once its copies are gone.
ALTER TABLE links ADD COLUMN host TEXT NOT NULL DEFAULT '';
ALTER TABLE links ADD COLUMN closing INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN listed_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN tried_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN next_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN failures INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN error TEXT NOT NULL DEFAULT '';
UPDATE links SET host = SUBSTR(address, INSTR(address, '://') + 3);
UPDATE links SET host = SUBSTR(host, 1, INSTR(host || '/', '/') - 1);
UPDATE links SET home = SUBSTR(address, 1, INSTR(address, '://') + 2) || host || home WHERE kind = 'account' AND home LIKE '/%';
CREATE INDEX links_due ON links(next_at) WHERE kind = 'account';
CREATE INDEX links_by_host ON links(host);

-- href is the path in one spelling, address the same as its host spells it. mark is what the kind of source notes for
-- itself. known_to is the instant up to which events are kept, known_for whose clock and mail addresses they were read
-- by. A calendar that is watched is read from time to time.
ALTER TABLE calendars ADD COLUMN address TEXT NOT NULL DEFAULT '';
ALTER TABLE calendars ADD COLUMN mark TEXT NOT NULL DEFAULT '';
ALTER TABLE calendars ADD COLUMN known_to INTEGER NOT NULL DEFAULT 0;
ALTER TABLE calendars ADD COLUMN known_for TEXT NOT NULL DEFAULT '';
ALTER TABLE calendars ADD COLUMN tried_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE calendars ADD COLUMN watched INTEGER NOT NULL DEFAULT 0;
UPDATE calendars SET address = href, watched = blocks OR gets_bookings, next_at = 0;
DROP INDEX calendars_due;
ALTER TABLE calendars DROP COLUMN token;
ALTER TABLE calendars DROP COLUMN collection_tag;
ALTER TABLE calendars DROP COLUMN modified;
ALTER TABLE calendars DROP COLUMN expanded_on;
CREATE INDEX calendars_due ON calendars(next_at) WHERE watched;
CREATE INDEX calendars_ahead_of_time ON calendars(tried_at) WHERE watched;

-- owed counts for how many readings in a row a resource could not be had. visit_id says of which visit it is a copy.
ALTER TABLE objects ADD COLUMN address TEXT NOT NULL DEFAULT '';
ALTER TABLE objects ADD COLUMN read_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE objects ADD COLUMN owed INTEGER NOT NULL DEFAULT 0;
ALTER TABLE objects ADD COLUMN visit_id INTEGER NOT NULL DEFAULT 0;
CREATE INDEX objects_owed ON objects(calendar_id) WHERE owed > 0;
CREATE INDEX objects_beyond ON objects(calendar_id) WHERE beyond;

-- A copy is never forgotten with its visit or its calendar: whoever lets go of one of these settles its copies first.
-- unsure holds digests of writes of which nobody knows whether the host took them, with the time until which it may
-- still do so.
CREATE TABLE copies_next (
  id           INTEGER PRIMARY KEY,
  visit_id     INTEGER NOT NULL REFERENCES visits(id),
  calendar_id  INTEGER NOT NULL REFERENCES calendars(id),
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
  UNIQUE (visit_id, calendar_id)
);
INSERT INTO copies_next (id, visit_id, calendar_id, path, address, etag, wanted, sequence, state, error, attempts, next_at)
  SELECT id, visit_id, calendar_id, REPLACE(href, '%40', '@'), href, etag, wanted, sequence, state, error, attempts,
    CASE WHEN state IN ('waiting', 'written', 'failed') THEN next_at ELSE 9000000000000000000 END FROM copies;
DROP TABLE copies;
ALTER TABLE copies_next RENAME TO copies;
CREATE INDEX copies_due ON copies(next_at) WHERE next_at < 9000000000000000000;
CREATE INDEX copies_ahead_of_time ON copies(tried_at) WHERE next_at < 9000000000000000000;
CREATE INDEX copies_by_calendar ON copies(calendar_id);

-- The same request, sent again after a cut connection, gets the same booking.
ALTER TABLE bookings ADD COLUMN key_hash TEXT NOT NULL DEFAULT '';
ALTER TABLE bookings ADD COLUMN request_hash TEXT NOT NULL DEFAULT '';
CREATE UNIQUE INDEX bookings_by_key ON bookings(key_hash) WHERE key_hash <> '';

-- The case by which a booking was decided: the rules and all that counted, packed, without personal words.
CREATE TABLE cases (
  id         INTEGER PRIMARY KEY,
  booking_id INTEGER NOT NULL REFERENCES bookings(id) ON DELETE CASCADE,
  decided_at INTEGER NOT NULL,
  start      INTEGER NOT NULL,
  all_read   INTEGER NOT NULL,
  packed     BLOB NOT NULL
);
CREATE INDEX cases_by_booking ON cases(booking_id, id);
