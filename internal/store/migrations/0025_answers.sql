-- What clients answer to invitations: whether they come, and a time that they would rather have.
ALTER TABLE bookings ADD COLUMN part_stat TEXT NOT NULL DEFAULT '';
ALTER TABLE bookings ADD COLUMN answered_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN answered_sequence INTEGER NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN answer_comment TEXT NOT NULL DEFAULT '';
ALTER TABLE bookings ADD COLUMN wish_start INTEGER NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN wish_end INTEGER NOT NULL DEFAULT 0;
CREATE INDEX bookings_answered ON bookings(answered_at) WHERE answered_at > 0;
-- The address at which answers arrive; empty where none do.
ALTER TABLE mail_servers ADD COLUMN answers TEXT NOT NULL DEFAULT '';
