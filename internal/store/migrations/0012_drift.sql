-- What becomes of copies that are changed outside: it is asked, they are put back, or their bookings follow.
ALTER TABLE links ADD COLUMN drift TEXT NOT NULL DEFAULT 'ask' CHECK (drift IN ('ask', 'put back', 'follow'));

-- How a copy differs from its booking, as somebody has made it outside; and the time at which it lies then, which is held
-- too until that is settled.
ALTER TABLE copies ADD COLUMN drift TEXT NOT NULL DEFAULT '';
ALTER TABLE copies ADD COLUMN lies_start INTEGER NOT NULL DEFAULT 0;
ALTER TABLE copies ADD COLUMN lies_end INTEGER NOT NULL DEFAULT 0;
ALTER TABLE copies ADD COLUMN put_backs INTEGER NOT NULL DEFAULT 0;
ALTER TABLE copies ADD COLUMN put_back_at INTEGER NOT NULL DEFAULT 0;
CREATE INDEX copies_adrift ON copies(calendar_id) WHERE drift <> '';
