-- Clients are made, found and counted by indexes, however many there are: the question for the bookings of one has no constant by
-- which a part of an index could be chosen, and the largest number is asked for without a condition.
DROP INDEX bookings_of_client;
CREATE INDEX bookings_of_client ON bookings(client_id); -- 0 for none, -1 for a moment, while the client is made or found
DROP TRIGGER clients_come;
DROP TRIGGER clients_come_later;
CREATE TRIGGER clients_come AFTER INSERT ON bookings WHEN NEW.status <> 'held' AND NEW.client_mail <> '' AND NOT NEW.trial
BEGIN UPDATE bookings SET client_id = -1 WHERE id = NEW.id; END;
CREATE TRIGGER clients_come_later AFTER UPDATE OF status ON bookings WHEN OLD.status = 'held' AND NEW.status <> 'held' AND NEW.client_mail <> '' AND NOT NEW.trial
BEGIN UPDATE bookings SET client_id = -1 WHERE id = NEW.id; END;
CREATE TRIGGER clients_are AFTER UPDATE OF client_id ON bookings WHEN NEW.client_id = -1
BEGIN
  INSERT INTO clients (name, zone, clock, phone, phone_digits, created_at) SELECT NEW.client_name, NEW.client_zone, NEW.client_clock, NEW.client_phone, NEW.phone_digits, NEW.created_at
    WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail);
  INSERT INTO client_mails (mail, client_id, since) SELECT NEW.client_mail, (SELECT MAX(id) FROM clients), NEW.created_at
    WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail);
  UPDATE clients SET root = id WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND root = 0;
  UPDATE clients SET name = NEW.client_name, zone = NEW.client_zone, clock = NEW.client_clock, phone = IIF(NEW.client_phone = '', phone, NEW.client_phone), phone_digits = IIF(NEW.client_phone = '', phone_digits, NEW.phone_digits)
    WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND NOT fixed AND (name <> NEW.client_name OR zone <> NEW.client_zone OR clock <> NEW.client_clock OR NEW.client_phone NOT IN ('', phone));
  UPDATE bookings SET client_id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) WHERE id = NEW.id;
END;
