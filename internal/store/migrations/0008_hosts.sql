-- Calendar hosts that the business knows by a name: where their accounts are asked for, and whose mail addresses they
-- serve. The host is that of the address, by which links find its name.
CREATE TABLE hosts (
  id         INTEGER PRIMARY KEY,
  name       TEXT NOT NULL COLLATE NOCASE UNIQUE,
  address    TEXT NOT NULL,
  host       TEXT NOT NULL UNIQUE,
  domains    TEXT NOT NULL,
  created_at INTEGER NOT NULL
);
