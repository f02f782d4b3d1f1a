-- A calendar host may let its people sign in there (OAuth 2) in place of app passwords.
ALTER TABLE hosts ADD COLUMN authorize_address TEXT NOT NULL DEFAULT '';
ALTER TABLE hosts ADD COLUMN token_address TEXT NOT NULL DEFAULT '';
ALTER TABLE hosts ADD COLUMN revoke_address TEXT NOT NULL DEFAULT '';
ALTER TABLE hosts ADD COLUMN issuer TEXT NOT NULL DEFAULT '';
ALTER TABLE hosts ADD COLUMN tells_issuer INTEGER NOT NULL DEFAULT 0;
ALTER TABLE hosts ADD COLUMN client_id TEXT NOT NULL DEFAULT '';
ALTER TABLE hosts ADD COLUMN client_secret BLOB;
ALTER TABLE hosts ADD COLUMN scopes TEXT NOT NULL DEFAULT '[]';

-- A link whose owner signed in at a host has tokens in place of a password.
ALTER TABLE links ADD COLUMN by_consent INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN host_id INTEGER REFERENCES hosts(id) ON DELETE SET NULL;

-- Who is on the way to a host to sign in there, or to try it: until they come back, for some minutes.
CREATE TABLE consents (
  state_hash TEXT PRIMARY KEY,
  session_id INTEGER NOT NULL REFERENCES sessions(id) ON DELETE CASCADE,
  host_id    INTEGER NOT NULL REFERENCES hosts(id) ON DELETE CASCADE,
  link_id    INTEGER NOT NULL DEFAULT 0,
  verifier   BLOB NOT NULL,
  expires_at INTEGER NOT NULL
);
CREATE INDEX consents_by_session ON consents(session_id);
CREATE INDEX consents_by_host ON consents(host_id);
