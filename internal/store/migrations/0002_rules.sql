ALTER TABLE staff ADD COLUMN cap_per_day INTEGER;

ALTER TABLE services ADD COLUMN lengths TEXT NOT NULL DEFAULT '[]';
ALTER TABLE services ADD COLUMN notice_kind TEXT NOT NULL DEFAULT 'minutes';
ALTER TABLE services ADD COLUMN notice_days INTEGER NOT NULL DEFAULT 0;
ALTER TABLE services ADD COLUMN notice_by TEXT NOT NULL DEFAULT '18:00';
ALTER TABLE services ADD COLUMN window_kind TEXT NOT NULL DEFAULT 'days';
ALTER TABLE services ADD COLUMN window_from TEXT NOT NULL DEFAULT '';
ALTER TABLE services ADD COLUMN window_to TEXT NOT NULL DEFAULT '';
ALTER TABLE services ADD COLUMN cap_per_day INTEGER;
ALTER TABLE services ADD COLUMN places INTEGER NOT NULL DEFAULT 1;
ALTER TABLE services ADD COLUMN needs TEXT NOT NULL DEFAULT '[]';
ALTER TABLE services ADD COLUMN staffing TEXT NOT NULL DEFAULT 'any';
ALTER TABLE services ADD COLUMN pick TEXT NOT NULL DEFAULT 'order';
ALTER TABLE services ADD COLUMN paused INTEGER NOT NULL DEFAULT 0;

-- How the staff of a booking were picked, in a sentence.
ALTER TABLE bookings ADD COLUMN picked TEXT NOT NULL DEFAULT '';
CREATE INDEX bookings_by_client ON bookings(client_mail, id);

CREATE TABLE one_offs (
  id       INTEGER PRIMARY KEY,
  staff_id INTEGER NOT NULL REFERENCES staff(id) ON DELETE CASCADE,
  date     TEXT NOT NULL,
  spans    TEXT NOT NULL,
  note     TEXT NOT NULL DEFAULT '',
  UNIQUE (staff_id, date)
);

CREATE TABLE absences (
  id         INTEGER PRIMARY KEY,
  staff_id   INTEGER NOT NULL REFERENCES staff(id) ON DELETE CASCADE,
  from_date  TEXT NOT NULL,
  until_date TEXT NOT NULL,
  note       TEXT NOT NULL DEFAULT '',
  CHECK (from_date <= until_date)
);
CREATE INDEX absences_by_staff ON absences(staff_id, from_date);

CREATE TABLE closures (
  date TEXT PRIMARY KEY,
  name TEXT NOT NULL DEFAULT ''
) WITHOUT ROWID;

CREATE TABLE resources (
  id         INTEGER PRIMARY KEY,
  name       TEXT NOT NULL,
  kind       TEXT NOT NULL,
  created_at INTEGER NOT NULL
);
CREATE INDEX resources_by_kind ON resources(kind, id);

-- Which rooms and equipment a visit has. It outlives the claim.
CREATE TABLE visit_resources (
  visit_id    INTEGER NOT NULL REFERENCES visits(id) ON DELETE CASCADE,
  resource_id INTEGER NOT NULL REFERENCES resources(id),
  PRIMARY KEY (visit_id, resource_id)
) WITHOUT ROWID;

-- The busy spans of a calendar once more, packed to be read in one piece: pairs
-- of instants, 8 bytes each, least significant first, in order of their starts.
CREATE TABLE packed_spans (
  calendar_id INTEGER PRIMARY KEY REFERENCES calendars(id) ON DELETE CASCADE,
  spans       BLOB NOT NULL
);
