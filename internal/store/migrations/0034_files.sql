-- Files that clients hand over with their answers; what is in them lies outside the database.
CREATE TABLE files (
  id         INTEGER PRIMARY KEY,
  token_hash TEXT NOT NULL UNIQUE, -- by which whoever has sent it names it
  name       TEXT NOT NULL,
  type       TEXT NOT NULL,
  size       INTEGER NOT NULL,
  path       TEXT NOT NULL,        -- in the folder of files
  booking_id INTEGER NOT NULL DEFAULT 0, -- 0 while it belongs to none, -1 once it is to go
  made_at    INTEGER NOT NULL
);
CREATE INDEX files_of_booking ON files(booking_id);
CREATE TRIGGER files_let_go AFTER DELETE ON bookings BEGIN UPDATE files SET booking_id = 0 WHERE booking_id = OLD.id; END;
