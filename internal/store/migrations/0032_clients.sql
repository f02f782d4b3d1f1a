-- Clients as people: one for each mail address, until somebody says that two are one. That can be undone, so what belongs to
-- each stays with it: root is whom a client counts as, merged_into into whom they were merged.
CREATE TABLE clients (
  id           INTEGER PRIMARY KEY,
  name         TEXT NOT NULL,
  zone         TEXT NOT NULL,
  clock        TEXT NOT NULL DEFAULT '24',
  phone        TEXT NOT NULL DEFAULT '',
  phone_digits TEXT NOT NULL DEFAULT '',
  note         TEXT NOT NULL DEFAULT '',
  fixed        INTEGER NOT NULL DEFAULT 0, -- the desk has said how they are called, and what they say themselves changes nothing
  merged_into  INTEGER NOT NULL DEFAULT 0,
  root         INTEGER NOT NULL DEFAULT 0,
  created_at   INTEGER NOT NULL
);
CREATE INDEX clients_root ON clients(root);
CREATE INDEX clients_merged ON clients(merged_into) WHERE merged_into > 0;
CREATE INDEX clients_names ON clients(name COLLATE NOCASE, id) WHERE merged_into = 0;
CREATE INDEX clients_phones ON clients(phone) WHERE phone <> '';
CREATE TABLE client_mails (
  mail      TEXT PRIMARY KEY,
  client_id INTEGER NOT NULL REFERENCES clients(id) ON DELETE CASCADE,
  since     INTEGER NOT NULL,
  broken_at INTEGER NOT NULL DEFAULT 0, -- when mail to it came back
  broken    TEXT NOT NULL DEFAULT ''
) WITHOUT ROWID;
CREATE INDEX client_mails_of ON client_mails(client_id);
ALTER TABLE bookings ADD COLUMN client_id INTEGER NOT NULL DEFAULT 0;

CREATE TEMP TABLE numbered AS SELECT client_mail AS mail, ROW_NUMBER() OVER (ORDER BY client_mail) AS n, MIN(created_at) AS since FROM bookings WHERE status <> 'held' AND client_mail <> '' GROUP BY client_mail;
INSERT INTO clients (id, name, zone, created_at) SELECT n, '', 'UTC', since FROM numbered;
INSERT INTO client_mails (mail, client_id, since) SELECT mail, n, since FROM numbered;
DROP TABLE numbered;
UPDATE clients SET root = id;
UPDATE clients SET (name, zone, clock, phone, phone_digits) = (SELECT b.client_name, b.client_zone, b.client_clock, b.client_phone, b.phone_digits FROM client_mails m JOIN bookings b ON b.client_mail = m.mail WHERE m.client_id = clients.id AND b.status <> 'held' ORDER BY b.id DESC LIMIT 1);
UPDATE bookings SET client_id = COALESCE((SELECT client_id FROM client_mails m WHERE m.mail = bookings.client_mail), 0) WHERE status <> 'held';
CREATE INDEX bookings_of_client ON bookings(client_id) WHERE client_id > 0;

-- Whoever books is a client from the moment on in which the booking stands or is asked for.
CREATE TRIGGER clients_come AFTER INSERT ON bookings WHEN NEW.status <> 'held' AND NEW.client_mail <> ''
BEGIN
  INSERT INTO clients (name, zone, clock, phone, phone_digits, created_at) SELECT NEW.client_name, NEW.client_zone, NEW.client_clock, NEW.client_phone, NEW.phone_digits, NEW.created_at
    WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail);
  INSERT INTO client_mails (mail, client_id, since) SELECT NEW.client_mail, MAX(id), NEW.created_at FROM clients WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail) HAVING MAX(id) IS NOT NULL;
  UPDATE clients SET root = id WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND root = 0;
  UPDATE clients SET name = NEW.client_name, zone = NEW.client_zone, clock = NEW.client_clock, phone = IIF(NEW.client_phone = '', phone, NEW.client_phone), phone_digits = IIF(NEW.client_phone = '', phone_digits, NEW.phone_digits)
    WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND NOT fixed AND (name <> NEW.client_name OR zone <> NEW.client_zone OR clock <> NEW.client_clock OR NEW.client_phone NOT IN ('', phone));
  UPDATE bookings SET client_id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) WHERE id = NEW.id;
END;
CREATE TRIGGER clients_come_later AFTER UPDATE OF status ON bookings WHEN OLD.status = 'held' AND NEW.status <> 'held' AND NEW.client_mail <> ''
BEGIN
  INSERT INTO clients (name, zone, clock, phone, phone_digits, created_at) SELECT NEW.client_name, NEW.client_zone, NEW.client_clock, NEW.client_phone, NEW.phone_digits, NEW.created_at
    WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail);
  INSERT INTO client_mails (mail, client_id, since) SELECT NEW.client_mail, MAX(id), NEW.created_at FROM clients WHERE NOT EXISTS (SELECT 1 FROM client_mails WHERE mail = NEW.client_mail) HAVING MAX(id) IS NOT NULL;
  UPDATE clients SET root = id WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND root = 0;
  UPDATE clients SET name = NEW.client_name, zone = NEW.client_zone, clock = NEW.client_clock, phone = IIF(NEW.client_phone = '', phone, NEW.client_phone), phone_digits = IIF(NEW.client_phone = '', phone_digits, NEW.phone_digits)
    WHERE id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) AND NOT fixed AND (name <> NEW.client_name OR zone <> NEW.client_zone OR clock <> NEW.client_clock OR NEW.client_phone NOT IN ('', phone));
  UPDATE bookings SET client_id = (SELECT client_id FROM client_mails WHERE mail = NEW.client_mail) WHERE id = NEW.id;
END;

-- Clients are found by the beginnings of words of their names, addresses, telephone numbers and notes.
CREATE VIRTUAL TABLE client_words USING fts5(client, mail, phone, note, content='', contentless_delete=1, tokenize='unicode61 remove_diacritics 2', prefix='2 3');
INSERT INTO client_words (rowid, client, mail, phone, note) SELECT c.id, c.name, (SELECT GROUP_CONCAT(mail, ' ') FROM client_mails m WHERE m.client_id = c.id), c.phone_digits, c.note FROM clients c;
CREATE TRIGGER client_words_new AFTER INSERT ON clients
BEGIN INSERT INTO client_words (rowid, client, mail, phone, note) VALUES (NEW.id, NEW.name, '', NEW.phone_digits, NEW.note); END;
CREATE TRIGGER client_words_changed AFTER UPDATE OF name, phone_digits, note ON clients
BEGIN
  DELETE FROM client_words WHERE rowid = OLD.id;
  INSERT INTO client_words (rowid, client, mail, phone, note) VALUES (NEW.id, NEW.name, (SELECT GROUP_CONCAT(mail, ' ') FROM client_mails WHERE client_id = NEW.id), NEW.phone_digits, NEW.note);
END;
CREATE TRIGGER client_words_mail AFTER INSERT ON client_mails
BEGIN
  DELETE FROM client_words WHERE rowid = NEW.client_id;
  INSERT INTO client_words (rowid, client, mail, phone, note) SELECT id, name, (SELECT GROUP_CONCAT(mail, ' ') FROM client_mails WHERE client_id = NEW.client_id), phone_digits, note FROM clients WHERE id = NEW.client_id;
END;
CREATE TRIGGER client_words_less_mail AFTER DELETE ON client_mails
BEGIN
  DELETE FROM client_words WHERE rowid = OLD.client_id;
  INSERT INTO client_words (rowid, client, mail, phone, note) SELECT id, name, (SELECT GROUP_CONCAT(mail, ' ') FROM client_mails WHERE client_id = OLD.client_id), phone_digits, note FROM clients WHERE id = OLD.client_id;
END;
CREATE TRIGGER client_words_gone AFTER DELETE ON clients
BEGIN DELETE FROM client_words WHERE rowid = OLD.id; END;
