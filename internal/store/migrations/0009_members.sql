-- Staff members sign in too: a session is of one or the other.
CREATE TABLE sessions_of_all (
  id               INTEGER PRIMARY KEY,
  token_hash       TEXT NOT NULL UNIQUE,
  administrator_id INTEGER REFERENCES administrators(id) ON DELETE CASCADE,
  staff_id         INTEGER REFERENCES staff(id) ON DELETE CASCADE,
  created_at       INTEGER NOT NULL,
  seen_at          INTEGER NOT NULL,
  device           TEXT NOT NULL,
  origin           TEXT NOT NULL,
  CHECK ((administrator_id IS NULL) <> (staff_id IS NULL))
);
INSERT INTO sessions_of_all SELECT id, token_hash, administrator_id, NULL, created_at, seen_at, device, origin FROM sessions;
DROP TABLE sessions;
ALTER TABLE sessions_of_all RENAME TO sessions;
CREATE INDEX sessions_by_administrator ON sessions(administrator_id);
CREATE INDEX sessions_by_staff ON sessions(staff_id);

-- Who was asked to link a calendar: the last time for each person. The token is gone once it has signed somebody in.
CREATE TABLE invitations (
  staff_id    INTEGER PRIMARY KEY REFERENCES staff(id) ON DELETE CASCADE,
  token_hash  TEXT UNIQUE,
  asked_at    INTEGER NOT NULL,
  expires_at  INTEGER NOT NULL,
  opened_at   INTEGER NOT NULL DEFAULT 0,
  declined_at INTEGER NOT NULL DEFAULT 0,
  why         TEXT NOT NULL DEFAULT ''
);
