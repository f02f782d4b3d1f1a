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

-- A booking by which the desk tries a service: it goes through everything, to whoever tries, and is cleaned up.
ALTER TABLE bookings ADD COLUMN trial INTEGER NOT NULL DEFAULT 0;
CREATE INDEX bookings_trial ON bookings(created_at) WHERE trial;
DROP TRIGGER clients_come;
DROP TRIGGER clients_come_later;
CREATE TRIGGER clients_come AFTER INSERT ON bookings WHEN NEW.status <> 'held' AND NEW.client_mail <> '' AND NOT NEW.trial
BEGIN
  INSERT INTO clients (name, zone, clock, phone, phone_digits, created_at) SELECT NEW.client_name, NEW.client_zone, NEW.client_clock, NEW.client_phone, NEW.phone_digits, NEW.created_at
    WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail);
  INSERT INTO client_mails (mail, client_id, since) SELECT NEW.client_mail, MAX(id), NEW.created_at FROM clients WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail) HAVING MAX(id) IS NOT NULL;
  UPDATE clients SET root = id WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND root = 0;
  UPDATE clients SET name = NEW.client_name, zone = NEW.client_zone, clock = NEW.client_clock, phone = IIF(NEW.client_phone = '', phone, NEW.client_phone), phone_digits = IIF(NEW.client_phone = '', phone_digits, NEW.phone_digits)
    WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND NOT fixed AND (name <> NEW.client_name OR zone <> NEW.client_zone OR clock <> NEW.client_clock OR NEW.client_phone NOT IN ('', phone));
  UPDATE bookings SET client_id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) WHERE id = NEW.id;
END;
CREATE TRIGGER clients_come_later AFTER UPDATE OF status ON bookings WHEN OLD.status = 'held' AND NEW.status <> 'held' AND NEW.client_mail <> '' AND NOT NEW.trial
BEGIN
  INSERT INTO clients (name, zone, clock, phone, phone_digits, created_at) SELECT NEW.client_name, NEW.client_zone, NEW.client_clock, NEW.client_phone, NEW.phone_digits, NEW.created_at
    WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail);
  INSERT INTO client_mails (mail, client_id, since) SELECT NEW.client_mail, MAX(id), NEW.created_at FROM clients WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail) HAVING MAX(id) IS NOT NULL;
  UPDATE clients SET root = id WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND root = 0;
  UPDATE clients SET name = NEW.client_name, zone = NEW.client_zone, clock = NEW.client_clock, phone = IIF(NEW.client_phone = '', phone, NEW.client_phone), phone_digits = IIF(NEW.client_phone = '', phone_digits, NEW.phone_digits)
    WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND NOT fixed AND (name <> NEW.client_name OR zone <> NEW.client_zone OR clock <> NEW.client_clock OR NEW.client_phone NOT IN ('', phone));
  UPDATE bookings SET client_id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) WHERE id = NEW.id;
END;
