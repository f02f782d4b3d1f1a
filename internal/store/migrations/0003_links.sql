-- A link is an account, with several calendars, or a feed, which is one. Of a feed
-- the address can be a secret, so it is kept as one, and address holds its host only.
ALTER TABLE links ADD COLUMN kind TEXT NOT NULL DEFAULT 'account';

-- How events of a calendar count, and what is remembered to ask again cheaply.
ALTER TABLE calendars ADD COLUMN pad_before INTEGER NOT NULL DEFAULT 0;
ALTER TABLE calendars ADD COLUMN pad_after INTEGER NOT NULL DEFAULT 0;
ALTER TABLE calendars ADD COLUMN tentative_free INTEGER NOT NULL DEFAULT 0;
ALTER TABLE calendars ADD COLUMN all_day_free INTEGER NOT NULL DEFAULT 0;
ALTER TABLE calendars ADD COLUMN modified TEXT NOT NULL DEFAULT '';
ALTER TABLE calendars ADD COLUMN refresh INTEGER NOT NULL DEFAULT 0;
CREATE INDEX calendars_due ON calendars(next_at) WHERE blocks OR gets_bookings;

-- Whether an event has, or may have, time after the horizon, so that it must be
-- read again when the horizon moves. Of those kept before it is not known.
ALTER TABLE objects ADD COLUMN beyond INTEGER NOT NULL DEFAULT 1;

-- Events that could not be read: when they begin, and why.
CREATE TABLE unread (
  calendar_id INTEGER NOT NULL,
  href        TEXT NOT NULL,
  date        TEXT NOT NULL,
  reason      TEXT NOT NULL,
  FOREIGN KEY (calendar_id, href) REFERENCES objects(calendar_id, href) ON DELETE CASCADE
);
CREATE INDEX unread_by_object ON unread(calendar_id, href);

-- A busy span that arrived on top of a visit. It is open while closed_at is 0.
CREATE TABLE clashes (
  id          INTEGER PRIMARY KEY,
  visit_id    INTEGER NOT NULL REFERENCES visits(id) ON DELETE CASCADE,
  calendar_id INTEGER NOT NULL REFERENCES calendars(id) ON DELETE CASCADE,
  start       INTEGER NOT NULL,
  "end"       INTEGER NOT NULL,
  found_at    INTEGER NOT NULL,
  closed_at   INTEGER NOT NULL DEFAULT 0,
  CHECK (start < "end")
);
CREATE UNIQUE INDEX clashes_open ON clashes(visit_id, calendar_id) WHERE closed_at = 0;
CREATE INDEX clashes_by_calendar ON clashes(calendar_id);
