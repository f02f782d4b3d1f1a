-- Codes for mail addresses go a day after they were sent.
CREATE INDEX messages_codes ON messages(settled_at) WHERE kind = 'code';
