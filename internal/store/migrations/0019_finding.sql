-- What the desk adds to bookings: a note, that nobody came, and who at the desk made it.
ALTER TABLE bookings ADD COLUMN note TEXT NOT NULL DEFAULT '';
ALTER TABLE bookings ADD COLUMN missed_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN made_by TEXT NOT NULL DEFAULT '';
ALTER TABLE bookings ADD COLUMN overruled TEXT NOT NULL DEFAULT '';

-- The words by which bookings are found. What is only held is not found.
CREATE VIRTUAL TABLE booking_words USING fts5(client, mail, reference, note, content='', contentless_delete=1, tokenize='unicode61 remove_diacritics 2', prefix='2 3');
INSERT INTO booking_words (rowid, client, mail, reference, note) SELECT id, client_name, client_mail, reference, note FROM bookings WHERE status <> 'held';
CREATE TRIGGER words_of_bookings AFTER INSERT ON bookings WHEN NEW.status <> 'held'
BEGIN INSERT INTO booking_words (rowid, client, mail, reference, note) VALUES (NEW.id, NEW.client_name, NEW.client_mail, NEW.reference, NEW.note); END;
CREATE TRIGGER words_of_confirmed AFTER UPDATE OF status ON bookings WHEN OLD.status = 'held' AND NEW.status <> 'held'
BEGIN INSERT INTO booking_words (rowid, client, mail, reference, note) VALUES (NEW.id, NEW.client_name, NEW.client_mail, NEW.reference, NEW.note); END;
CREATE TRIGGER words_changed AFTER UPDATE OF client_name, client_mail, reference, note ON bookings WHEN NEW.status <> 'held'
BEGIN
  DELETE FROM booking_words WHERE rowid = OLD.id;
  INSERT INTO booking_words (rowid, client, mail, reference, note) VALUES (NEW.id, NEW.client_name, NEW.client_mail, NEW.reference, NEW.note);
END;
CREATE TRIGGER words_dropped AFTER DELETE ON bookings WHEN OLD.status <> 'held'
BEGIN DELETE FROM booking_words WHERE rowid = OLD.id; END;

-- Copies that are not as they should be, by which their bookings are found.
CREATE INDEX copies_unsettled ON copies(state, visit_id) WHERE state NOT IN ('read back', 'removed', 'left');
CREATE INDEX bookings_cancelled ON bookings(visit_id) WHERE status = 'cancelled';
