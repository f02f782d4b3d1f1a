-- Who hears of visits: at once, each morning, or not; and of what needs attention, each morning.
ALTER TABLE staff ADD COLUMN tell_visits TEXT NOT NULL DEFAULT 'no' CHECK (tell_visits IN ('no', 'once', 'morning'));
ALTER TABLE administrators ADD COLUMN tell_visits TEXT NOT NULL DEFAULT 'no' CHECK (tell_visits IN ('no', 'once', 'morning'));
ALTER TABLE administrators ADD COLUMN tell_attention INTEGER NOT NULL DEFAULT 0;
-- Messages go to administrators too; and several can go in one, which carries them.
ALTER TABLE messages ADD COLUMN administrator_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE messages ADD COLUMN carrier INTEGER NOT NULL DEFAULT 0;
CREATE INDEX messages_carried ON messages(carrier) WHERE carrier > 0;
CREATE INDEX messages_of_news ON messages(staff_id, administrator_id) WHERE kind = 'visit' AND state = 'waiting';
CREATE TRIGGER messages_of_administrators_go AFTER DELETE ON administrators BEGIN DELETE FROM messages WHERE administrator_id = OLD.id; END;
