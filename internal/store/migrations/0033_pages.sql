-- Collections of services, under headings, in an order. Their addresses are never those of services, and live for ever like theirs.
CREATE TABLE collections (
  id          INTEGER PRIMARY KEY,
  slug        TEXT NOT NULL UNIQUE,
  title       TEXT NOT NULL,
  intro       TEXT NOT NULL DEFAULT '',
  staff_id    INTEGER NOT NULL DEFAULT 0, -- whose services they are alone; 0 for everybody's
  parts       TEXT NOT NULL,
  sites       TEXT,
  archived_at INTEGER NOT NULL DEFAULT 0,
  created_at  INTEGER NOT NULL
);
CREATE TABLE former_slugs_new (
  slug          TEXT PRIMARY KEY,
  service_id    INTEGER NOT NULL DEFAULT 0,
  collection_id INTEGER NOT NULL DEFAULT 0,
  since         INTEGER NOT NULL
) WITHOUT ROWID;
INSERT INTO former_slugs_new (slug, service_id, since) SELECT slug, service_id, since FROM former_slugs;
DROP TABLE former_slugs;
ALTER TABLE former_slugs_new RENAME TO former_slugs;

-- How far people came on a page on a day: opened, chosen, details, booked. Nothing is kept of who it was.
CREATE TABLE page_counts (
  service_id    INTEGER NOT NULL,
  collection_id INTEGER NOT NULL,
  date          TEXT NOT NULL,
  step          TEXT NOT NULL,
  n             INTEGER NOT NULL,
  PRIMARY KEY (service_id, collection_id, date, step)
) WITHOUT ROWID;

-- What is said and done after a visit is booked, how a page looks, and what is wanted of clients before.
ALTER TABLE services ADD COLUMN afterwards TEXT NOT NULL DEFAULT '{}';
ALTER TABLE services ADD COLUMN look TEXT NOT NULL DEFAULT '{}';
ALTER TABLE services ADD COLUMN prove_mail INTEGER NOT NULL DEFAULT 0;
ALTER TABLE services ADD COLUMN cancel_declined INTEGER NOT NULL DEFAULT 0;
-- The hosts to which clients may be led on.
ALTER TABLE businesses ADD COLUMN leads_to TEXT;
-- Of each who performs a service, how many visits they take in proportion.
ALTER TABLE service_staff ADD COLUMN weight INTEGER NOT NULL DEFAULT 1;

-- Codes by which somebody proves that a mail address is theirs.
CREATE TABLE mail_codes (
  id         INTEGER PRIMARY KEY,
  mail_hash  TEXT NOT NULL,
  code_hash  TEXT NOT NULL,
  tries      INTEGER NOT NULL DEFAULT 0,
  made_at    INTEGER NOT NULL,
  expires_at INTEGER NOT NULL
);
CREATE INDEX mail_codes_of ON mail_codes(mail_hash, made_at);
