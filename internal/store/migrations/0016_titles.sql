-- What events are called is kept of calendars that their owners have opened.
ALTER TABLE calendars ADD COLUMN titles INTEGER NOT NULL DEFAULT 0;
ALTER TABLE busy_spans ADD COLUMN title TEXT NOT NULL DEFAULT '';
