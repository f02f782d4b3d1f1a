-- What a service asks its clients, and what they said, with the wording of then.
ALTER TABLE services ADD COLUMN questions TEXT;
ALTER TABLE services ADD COLUMN ask_phone TEXT NOT NULL DEFAULT 'no';
ALTER TABLE bookings ADD COLUMN answers TEXT;

-- Telephone numbers are kept as E.164, and with the digits that people type to find them.
ALTER TABLE bookings ADD COLUMN client_phone TEXT NOT NULL DEFAULT '';
ALTER TABLE bookings ADD COLUMN phone_digits TEXT NOT NULL DEFAULT '';

-- Bookings are found by telephone numbers too.
DROP TRIGGER words_of_bookings;
DROP TRIGGER words_of_confirmed;
DROP TRIGGER words_changed;
DROP TRIGGER words_dropped;
DROP TABLE booking_words;
CREATE VIRTUAL TABLE booking_words USING fts5(client, mail, reference, note, phone, content='', contentless_delete=1, tokenize='unicode61 remove_diacritics 2', prefix='2 3');
INSERT INTO booking_words (rowid, client, mail, reference, note, phone) SELECT id, client_name, client_mail, reference, note, phone_digits FROM bookings WHERE status <> 'held';
CREATE TRIGGER words_of_bookings AFTER INSERT ON bookings WHEN NEW.status <> 'held'
BEGIN INSERT INTO booking_words (rowid, client, mail, reference, note, phone) VALUES (NEW.id, NEW.client_name, NEW.client_mail, NEW.reference, NEW.note, NEW.phone_digits); END;
CREATE TRIGGER words_of_confirmed AFTER UPDATE OF status ON bookings WHEN OLD.status = 'held' AND NEW.status <> 'held'
BEGIN INSERT INTO booking_words (rowid, client, mail, reference, note, phone) VALUES (NEW.id, NEW.client_name, NEW.client_mail, NEW.reference, NEW.note, NEW.phone_digits); END;
CREATE TRIGGER words_changed AFTER UPDATE OF client_name, client_mail, reference, note, phone_digits ON bookings WHEN NEW.status <> 'held'
BEGIN
  DELETE FROM booking_words WHERE rowid = OLD.id;
  INSERT INTO booking_words (rowid, client, mail, reference, note, phone) VALUES (NEW.id, NEW.client_name, NEW.client_mail, NEW.reference, NEW.note, NEW.phone_digits);
END;
CREATE TRIGGER words_dropped AFTER DELETE ON bookings WHEN OLD.status <> 'held'
BEGIN DELETE FROM booking_words WHERE rowid = OLD.id; END;

-- What copies say as long as nobody has worded it: answers too.
UPDATE businesses SET copy_description = '{clients}' || char(10) || '{answers}' WHERE copy_description = '{clients}';
