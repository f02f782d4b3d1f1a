-- Mail that goes out: written down in the transaction that makes the news, sent after it. The text is sealed, for it can
-- hold an address that signs somebody in, and is forgotten once it is not wanted any more.
CREATE TABLE messages (
  id         INTEGER PRIMARY KEY,
  kind       TEXT NOT NULL,
  staff_id   INTEGER NOT NULL REFERENCES staff(id) ON DELETE CASCADE,
  about      TEXT NOT NULL,
  thing      INTEGER NOT NULL DEFAULT 0,
  message_id TEXT NOT NULL UNIQUE,
  recipient  TEXT NOT NULL,
  subject    TEXT NOT NULL,
  text       BLOB,
  state      TEXT NOT NULL CHECK (state IN ('waiting', 'sent', 'refused', 'overtaken')),
  error      TEXT NOT NULL DEFAULT '',
  attempts   INTEGER NOT NULL DEFAULT 0,
  made_at    INTEGER NOT NULL,
  until      INTEGER NOT NULL,
  settled_at INTEGER NOT NULL DEFAULT 0,
  tried_at   INTEGER NOT NULL DEFAULT 0,
  next_at    INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX messages_due ON messages(next_at) WHERE next_at < 9000000000000000000;
CREATE INDEX messages_ahead_of_time ON messages(tried_at) WHERE next_at < 9000000000000000000;
CREATE INDEX messages_settled ON messages(settled_at);
CREATE INDEX messages_about ON messages(about, made_at);
CREATE INDEX messages_by_staff ON messages(staff_id);

-- The one mail server over which it goes, if there is one.
CREATE TABLE mail_servers (
  id          INTEGER PRIMARY KEY CHECK (id = 1),
  host        TEXT NOT NULL,
  port        INTEGER NOT NULL,
  security    TEXT NOT NULL CHECK (security IN ('starttls', 'tls', 'none')),
  username    TEXT NOT NULL DEFAULT '',
  password    BLOB,
  sender      TEXT NOT NULL,
  sender_name TEXT NOT NULL DEFAULT ''
);

-- One-time addresses by which a staff member signs in, on the browser on which they asked for it.
CREATE TABLE one_times (
  token_hash   TEXT PRIMARY KEY,
  staff_id     INTEGER NOT NULL REFERENCES staff(id) ON DELETE CASCADE,
  browser_hash TEXT NOT NULL,
  made_at      INTEGER NOT NULL,
  expires_at   INTEGER NOT NULL
);
CREATE INDEX one_times_by_staff ON one_times(staff_id);
