-- What is archived takes no part any more, and everything that happened stays. 0 means that it is not.
ALTER TABLE staff ADD COLUMN archived_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE services ADD COLUMN archived_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE resources ADD COLUMN archived_at INTEGER NOT NULL DEFAULT 0;
