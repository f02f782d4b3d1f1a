-- Hour by hour: how long ago a calendar had been read at worst, in seconds; and how a host bore what was asked of it.
CREATE TABLE calendar_hours (
  calendar_id INTEGER NOT NULL REFERENCES calendars(id) ON DELETE CASCADE,
  hour        INTEGER NOT NULL,
  lag         INTEGER NOT NULL,
  reads       INTEGER NOT NULL,
  failures    INTEGER NOT NULL,
  PRIMARY KEY (calendar_id, hour)
) WITHOUT ROWID;
CREATE INDEX calendar_hours_by_hour ON calendar_hours(hour);
CREATE TABLE host_hours (
  host           TEXT NOT NULL,
  hour           INTEGER NOT NULL,
  reads          INTEGER NOT NULL,
  read_failures  INTEGER NOT NULL,
  writes         INTEGER NOT NULL,
  write_failures INTEGER NOT NULL,
  millis         INTEGER NOT NULL,
  slowest        INTEGER NOT NULL,
  PRIMARY KEY (host, hour)
) WITHOUT ROWID;
