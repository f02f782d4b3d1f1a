-- Staff members who keep their own hours, and who come in by a password of their own.
ALTER TABLE staff ADD COLUMN own_hours INTEGER NOT NULL DEFAULT 0;
ALTER TABLE staff ADD COLUMN password_hash TEXT NOT NULL DEFAULT '';
