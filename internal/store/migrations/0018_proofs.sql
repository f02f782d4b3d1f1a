-- Proofs of links: what was asked for, what came of it, and the evidence as JSON. left_over says that something that it
-- wrote outside may still be there.
CREATE TABLE proofs (
  id        INTEGER PRIMARY KEY,
  link_id   INTEGER NOT NULL REFERENCES links(id) ON DELETE CASCADE,
  state     TEXT NOT NULL,
  asked_by  TEXT NOT NULL DEFAULT '',
  asked_at  INTEGER NOT NULL,
  begun_at  INTEGER NOT NULL DEFAULT 0,
  ended_at  INTEGER NOT NULL DEFAULT 0,
  token     TEXT NOT NULL UNIQUE,
  words     TEXT NOT NULL DEFAULT '',
  report    TEXT NOT NULL DEFAULT '',
  left_over INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX proofs_by_link ON proofs(link_id, id);
CREATE INDEX proofs_open ON proofs(id) WHERE state IN ('waiting', 'running') OR left_over = 1;

-- The visit of a proof's test booking: it holds its time, and nobody is booked on it.
ALTER TABLE visits ADD COLUMN proof_id INTEGER NOT NULL DEFAULT 0;
CREATE INDEX visits_of_proofs ON visits(proof_id) WHERE proof_id > 0;

-- When everybody's links are proved by themselves: a weekday from 1 for Monday, 0 for never, and a minute of the day.
ALTER TABLE businesses ADD COLUMN proof_day INTEGER NOT NULL DEFAULT 0;
ALTER TABLE businesses ADD COLUMN proof_minute INTEGER NOT NULL DEFAULT 300;
ALTER TABLE businesses ADD COLUMN proof_since INTEGER NOT NULL DEFAULT 0;
