-- An opened calendar can be one that another desk fills: its events are visits there, and stand on the wall as such.
ALTER TABLE calendars ADD COLUMN foreign_visits INTEGER NOT NULL DEFAULT 0;
