-- Where a visit takes place: at the business's, at the client's, by telephone or online.
ALTER TABLE services ADD COLUMN venue TEXT NOT NULL DEFAULT 'ours';
-- The kind of room of which clients are told which one it is; empty for none.
ALTER TABLE services ADD COLUMN room TEXT NOT NULL DEFAULT '';
ALTER TABLE bookings ADD COLUMN client_address TEXT NOT NULL DEFAULT '';

-- The small services outside that Niche asks beside calendars and mail.
CREATE TABLE gateways (
  kind    TEXT PRIMARY KEY CHECK (kind IN ('rooms', 'texts', 'payments')),
  address TEXT NOT NULL,
  key     BLOB,
  body    TEXT NOT NULL DEFAULT '', -- what is sent, with fields in braces
  notices BLOB                      -- the key with which what it sends is signed
) WITHOUT ROWID;

-- Meeting rooms online, one for each visit that wants one. A visit that is handed over gets another; rooms that are
-- not wanted any more are taken down, and forgotten then.
CREATE TABLE meetings (
  id       INTEGER PRIMARY KEY,
  visit_id INTEGER NOT NULL,
  key      TEXT NOT NULL UNIQUE, -- by which the host knows it: asked for twice, it is made once
  staff    TEXT NOT NULL,        -- for whom it was made
  address  TEXT NOT NULL DEFAULT '',
  wanted   INTEGER NOT NULL,
  made     INTEGER NOT NULL DEFAULT 0, -- it stands at the host as it is wanted
  asked_at INTEGER NOT NULL,
  sequence INTEGER NOT NULL DEFAULT 0, -- goes up with each change of what is wanted
  error    TEXT NOT NULL DEFAULT '',
  attempts INTEGER NOT NULL DEFAULT 0,
  tried_at INTEGER NOT NULL DEFAULT 0,
  next_at  INTEGER NOT NULL
);
CREATE INDEX meetings_of_visit ON meetings(visit_id) WHERE wanted;
CREATE UNIQUE INDEX meetings_one ON meetings(visit_id) WHERE wanted;
CREATE INDEX meetings_due ON meetings(next_at) WHERE next_at < 9000000000000000000;

-- A message goes by mail, or as a text to a telephone.
ALTER TABLE messages ADD COLUMN channel TEXT NOT NULL DEFAULT 'mail' CHECK (channel IN ('mail', 'text'));
