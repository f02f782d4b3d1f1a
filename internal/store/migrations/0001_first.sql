-- Instants are seconds since 1970 in UTC, dates and zones are text, lengths are minutes.

CREATE TABLE businesses (
  id   INTEGER PRIMARY KEY CHECK (id = 1),
  name TEXT NOT NULL,
  zone TEXT NOT NULL
);

CREATE TABLE administrators (
  id            INTEGER PRIMARY KEY,
  email         TEXT NOT NULL UNIQUE COLLATE NOCASE,
  name          TEXT NOT NULL,
  password_hash TEXT NOT NULL,
  created_at    INTEGER NOT NULL
);

CREATE TABLE sessions (
  token_hash       TEXT PRIMARY KEY,
  administrator_id INTEGER NOT NULL REFERENCES administrators(id) ON DELETE CASCADE,
  created_at       INTEGER NOT NULL,
  expires_at       INTEGER NOT NULL
);

CREATE TABLE staff (
  id         INTEGER PRIMARY KEY,
  name       TEXT NOT NULL,
  email      TEXT NOT NULL DEFAULT '',
  zone       TEXT NOT NULL,
  created_at INTEGER NOT NULL
);

CREATE TABLE patterns (
  id         INTEGER PRIMARY KEY,
  staff_id   INTEGER NOT NULL REFERENCES staff(id) ON DELETE CASCADE,
  position   INTEGER NOT NULL,
  from_date  TEXT NOT NULL,
  until_date TEXT NOT NULL DEFAULT '',
  cycle      TEXT NOT NULL
);
CREATE INDEX patterns_by_staff ON patterns(staff_id, position);

CREATE TABLE services (
  id                   INTEGER PRIMARY KEY,
  slug                 TEXT NOT NULL UNIQUE,
  name                 TEXT NOT NULL,
  place                TEXT NOT NULL DEFAULT '',
  hue                  INTEGER NOT NULL DEFAULT 0,
  length               INTEGER NOT NULL CHECK (length > 0),
  step                 INTEGER NOT NULL CHECK (step > 0),
  anchor               TEXT NOT NULL DEFAULT 'clock',
  buffer_before        INTEGER NOT NULL DEFAULT 0,
  buffer_after         INTEGER NOT NULL DEFAULT 0,
  buffers_inside_hours INTEGER NOT NULL DEFAULT 0,
  notice_minutes       INTEGER NOT NULL DEFAULT 0,
  window_days          INTEGER NOT NULL DEFAULT 60,
  unreachable          TEXT NOT NULL DEFAULT 'ask',
  created_at           INTEGER NOT NULL
);

CREATE TABLE service_staff (
  service_id INTEGER NOT NULL REFERENCES services(id) ON DELETE CASCADE,
  staff_id   INTEGER NOT NULL REFERENCES staff(id) ON DELETE CASCADE,
  position   INTEGER NOT NULL,
  PRIMARY KEY (service_id, staff_id)
);

CREATE TABLE links (
  id         INTEGER PRIMARY KEY,
  staff_id   INTEGER NOT NULL REFERENCES staff(id) ON DELETE CASCADE,
  address    TEXT NOT NULL,
  username   TEXT NOT NULL,
  secret     BLOB NOT NULL,
  principal  TEXT NOT NULL,
  home       TEXT NOT NULL,
  mails      TEXT NOT NULL DEFAULT '[]',
  created_at INTEGER NOT NULL
);
CREATE INDEX links_by_staff ON links(staff_id);

CREATE TABLE calendars (
  id            INTEGER PRIMARY KEY,
  link_id       INTEGER NOT NULL REFERENCES links(id) ON DELETE CASCADE,
  href          TEXT NOT NULL,
  name          TEXT NOT NULL,
  colour        TEXT NOT NULL DEFAULT '',
  can_write     INTEGER NOT NULL,
  blocks        INTEGER NOT NULL DEFAULT 0,
  gets_bookings INTEGER NOT NULL DEFAULT 0,
  token         TEXT NOT NULL DEFAULT '',
  collection_tag TEXT NOT NULL DEFAULT '',
  expanded_on   TEXT NOT NULL DEFAULT '',
  state         TEXT NOT NULL DEFAULT 'waiting',
  error         TEXT NOT NULL DEFAULT '',
  skipped       INTEGER NOT NULL DEFAULT 0,
  read_at       INTEGER NOT NULL DEFAULT 0,
  next_at       INTEGER NOT NULL DEFAULT 0,
  failures      INTEGER NOT NULL DEFAULT 0,
  UNIQUE (link_id, href)
);

-- One row for each event resource of a calendar: its version and nothing of what it says.
CREATE TABLE objects (
  calendar_id INTEGER NOT NULL REFERENCES calendars(id) ON DELETE CASCADE,
  href        TEXT NOT NULL,
  etag        TEXT NOT NULL,
  uid_hash    TEXT NOT NULL DEFAULT '',
  skipped     INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (calendar_id, href)
) WITHOUT ROWID;

CREATE TABLE busy_spans (
  calendar_id INTEGER NOT NULL,
  start       INTEGER NOT NULL,
  "end"       INTEGER NOT NULL,
  href        TEXT NOT NULL,
  all_day     INTEGER NOT NULL,
  tentative   INTEGER NOT NULL,
  FOREIGN KEY (calendar_id, href) REFERENCES objects(calendar_id, href) ON DELETE CASCADE
);
CREATE INDEX busy_spans_by_end ON busy_spans(calendar_id, "end", start);
CREATE INDEX busy_spans_by_object ON busy_spans(calendar_id, href);

-- A visit is the time with clients; several bookings can share one.
CREATE TABLE visits (
  id            INTEGER PRIMARY KEY,
  service_id    INTEGER NOT NULL REFERENCES services(id),
  uid           TEXT NOT NULL UNIQUE,
  start         INTEGER NOT NULL,
  "end"         INTEGER NOT NULL,
  buffer_before INTEGER NOT NULL,
  buffer_after  INTEGER NOT NULL,
  CHECK (start < "end")
);
CREATE INDEX visits_by_service ON visits(service_id, start);
CREATE INDEX visits_by_start ON visits(start);

CREATE TABLE visit_staff (
  visit_id INTEGER NOT NULL REFERENCES visits(id) ON DELETE CASCADE,
  staff_id INTEGER NOT NULL REFERENCES staff(id),
  PRIMARY KEY (visit_id, staff_id)
) WITHOUT ROWID;
CREATE INDEX visit_staff_by_staff ON visit_staff(staff_id, visit_id);

-- A claim is the exclusive right of a visit to the time of one subject (a staff
-- member, later a room), buffers included.
CREATE TABLE claims (
  id       INTEGER PRIMARY KEY,
  visit_id INTEGER NOT NULL REFERENCES visits(id) ON DELETE CASCADE,
  subject  TEXT NOT NULL,
  start    INTEGER NOT NULL,
  "end"    INTEGER NOT NULL,
  CHECK (start < "end")
);
CREATE INDEX claims_by_subject ON claims(subject, "end", start);
CREATE INDEX claims_by_visit ON claims(visit_id);

-- Claims of one subject never overlap, so the first that ends after the new one
-- begins is the only one that can be in its way.
CREATE TRIGGER claims_apart_on_insert BEFORE INSERT ON claims
WHEN (SELECT start FROM claims WHERE subject = NEW.subject AND "end" > NEW.start ORDER BY "end" LIMIT 1) < NEW."end"
BEGIN SELECT RAISE(ABORT, 'claims of one subject overlap'); END;

CREATE TRIGGER claims_apart_on_update BEFORE UPDATE ON claims
WHEN (SELECT start FROM claims WHERE subject = NEW.subject AND id <> OLD.id AND "end" > NEW.start ORDER BY "end" LIMIT 1) < NEW."end"
BEGIN SELECT RAISE(ABORT, 'claims of one subject overlap'); END;

CREATE TABLE bookings (
  id           INTEGER PRIMARY KEY,
  visit_id     INTEGER NOT NULL REFERENCES visits(id) ON DELETE CASCADE,
  reference    TEXT NOT NULL UNIQUE,
  token_hash   TEXT NOT NULL UNIQUE,
  status       TEXT NOT NULL,
  places       INTEGER NOT NULL DEFAULT 1,
  client_name  TEXT NOT NULL,
  client_mail  TEXT NOT NULL,
  client_zone  TEXT NOT NULL,
  created_at   INTEGER NOT NULL,
  cancelled_at INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX bookings_by_visit ON bookings(visit_id);
CREATE INDEX bookings_held ON bookings(created_at) WHERE status = 'held';

-- The outbox: a copy whose state is waiting or failed has work due at next_at.
CREATE TABLE copies (
  id          INTEGER PRIMARY KEY,
  visit_id    INTEGER NOT NULL REFERENCES visits(id) ON DELETE CASCADE,
  calendar_id INTEGER NOT NULL REFERENCES calendars(id) ON DELETE CASCADE,
  href        TEXT NOT NULL,
  etag        TEXT NOT NULL DEFAULT '',
  wanted      INTEGER NOT NULL,
  sequence    INTEGER NOT NULL DEFAULT 0,
  state       TEXT NOT NULL,
  error       TEXT NOT NULL DEFAULT '',
  attempts    INTEGER NOT NULL DEFAULT 0,
  next_at     INTEGER NOT NULL DEFAULT 0,
  UNIQUE (visit_id, calendar_id)
);
CREATE INDEX copies_due ON copies(next_at) WHERE state IN ('waiting', 'written', 'failed');
