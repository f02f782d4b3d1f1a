-- How the business writes days and times, and how many bookings ahead one mail address may have.
ALTER TABLE businesses ADD COLUMN clock TEXT NOT NULL DEFAULT '24';
ALTER TABLE businesses ADD COLUMN date_order TEXT NOT NULL DEFAULT 'dmy';
ALTER TABLE businesses ADD COLUMN ahead_per_mail INTEGER NOT NULL DEFAULT 5;

-- second_factor is the sealed secret of one-time codes, last_step the step of the last one that was used. An
-- administrator without a password has not come in yet.
ALTER TABLE administrators ADD COLUMN second_factor BLOB;
ALTER TABLE administrators ADD COLUMN last_step INTEGER NOT NULL DEFAULT 0;

CREATE TABLE recovery_codes (
  administrator_id INTEGER NOT NULL REFERENCES administrators(id) ON DELETE CASCADE,
  code_hash        TEXT NOT NULL,
  used_at          INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (administrator_id, code_hash)
) WITHOUT ROWID;

-- One-time addresses at which an administrator chooses a password.
CREATE TABLE ways_in (
  token_hash       TEXT PRIMARY KEY,
  administrator_id INTEGER NOT NULL UNIQUE REFERENCES administrators(id) ON DELETE CASCADE,
  created_at       INTEGER NOT NULL,
  expires_at       INTEGER NOT NULL
) WITHOUT ROWID;

-- Sessions end by idling, so they know when they were last seen, and where. Those of before have to sign in again.
DROP TABLE sessions;
CREATE TABLE sessions (
  id               INTEGER PRIMARY KEY,
  token_hash       TEXT NOT NULL UNIQUE,
  administrator_id INTEGER NOT NULL REFERENCES administrators(id) ON DELETE CASCADE,
  created_at       INTEGER NOT NULL,
  seen_at          INTEGER NOT NULL,
  device           TEXT NOT NULL,
  origin           TEXT NOT NULL
);
CREATE INDEX sessions_by_administrator ON sessions(administrator_id);

-- Who changed what, when, from where, and what it was before. It names who it was even when they are gone.
CREATE TABLE trail (
  id      INTEGER PRIMARY KEY,
  at      INTEGER NOT NULL,
  role    TEXT NOT NULL,
  who_id  INTEGER NOT NULL,
  who     TEXT NOT NULL,
  origin  TEXT NOT NULL,
  deed    TEXT NOT NULL,
  kind    TEXT NOT NULL,
  thing   INTEGER NOT NULL,
  name    TEXT NOT NULL,
  changes TEXT NOT NULL
);
CREATE INDEX trail_by_time ON trail(at);
CREATE INDEX trail_by_thing ON trail(kind, thing, at);
CREATE INDEX trail_by_who ON trail(role, who_id, at);

-- Where a booking came from: the network of whoever made it.
ALTER TABLE bookings ADD COLUMN origin TEXT NOT NULL DEFAULT '';
CREATE INDEX bookings_by_time ON bookings(created_at);
CREATE INDEX bookings_by_origin ON bookings(origin, created_at);

-- When a visit begins stands also with whose it is, so that somebody's visits of some days are found without all that
-- they ever had.
ALTER TABLE visit_staff ADD COLUMN start INTEGER NOT NULL DEFAULT 0;
UPDATE visit_staff SET start = (SELECT v.start FROM visits v WHERE v.id = visit_id);
DROP INDEX visit_staff_by_staff;
CREATE INDEX visit_staff_by_staff ON visit_staff(staff_id, start, visit_id);
CREATE TRIGGER visit_staff_begins AFTER INSERT ON visit_staff
BEGIN UPDATE visit_staff SET start = (SELECT v.start FROM visits v WHERE v.id = NEW.visit_id) WHERE visit_id = NEW.visit_id AND staff_id = NEW.staff_id; END;
CREATE TRIGGER visits_begin AFTER UPDATE OF start ON visits WHEN NEW.start <> OLD.start
BEGIN UPDATE visit_staff SET start = NEW.start WHERE visit_id = NEW.id; END;

-- Each person's last booking of a service that was not cancelled, by which it is found whose turn it is. It follows
-- bookings and whose their visits are by itself.
CREATE TABLE turns (
  service_id INTEGER NOT NULL REFERENCES services(id),
  staff_id   INTEGER NOT NULL REFERENCES staff(id),
  booking_id INTEGER NOT NULL,
  PRIMARY KEY (service_id, staff_id)
) WITHOUT ROWID;
CREATE INDEX turns_by_booking ON turns(booking_id);
INSERT INTO turns SELECT v.service_id, vs.staff_id, MAX(b.id) FROM bookings b JOIN visits v ON v.id = b.visit_id JOIN visit_staff vs ON vs.visit_id = v.id
  WHERE b.status <> 'cancelled' GROUP BY v.service_id, vs.staff_id;

CREATE TRIGGER turns_taken AFTER INSERT ON bookings WHEN NEW.status <> 'cancelled'
BEGIN
  INSERT INTO turns SELECT v.service_id, vs.staff_id, NEW.id FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id WHERE v.id = NEW.visit_id
    ON CONFLICT DO UPDATE SET booking_id = MAX(booking_id, excluded.booking_id);
END;
CREATE TRIGGER turns_changed AFTER UPDATE OF status, visit_id ON bookings
WHEN (OLD.status = 'cancelled') <> (NEW.status = 'cancelled') OR OLD.visit_id <> NEW.visit_id
BEGIN
  UPDATE turns SET booking_id = COALESCE((SELECT MAX(b.id) FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id AND v.service_id = turns.service_id
    JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE vs.staff_id = turns.staff_id), 0) WHERE booking_id = OLD.id;
  INSERT INTO turns SELECT v.service_id, vs.staff_id, NEW.id FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id WHERE v.id = NEW.visit_id AND NEW.status <> 'cancelled'
    ON CONFLICT DO UPDATE SET booking_id = MAX(booking_id, excluded.booking_id);
END;
CREATE TRIGGER turns_dropped AFTER DELETE ON bookings
BEGIN
  UPDATE turns SET booking_id = COALESCE((SELECT MAX(b.id) FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id AND v.service_id = turns.service_id
    JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE vs.staff_id = turns.staff_id), 0) WHERE booking_id = OLD.id;
END;
CREATE TRIGGER turns_given AFTER INSERT ON visit_staff
BEGIN
  INSERT INTO turns SELECT v.service_id, NEW.staff_id, MAX(b.id) FROM visits v JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE v.id = NEW.visit_id GROUP BY v.service_id
    ON CONFLICT DO UPDATE SET booking_id = MAX(booking_id, excluded.booking_id);
END;
CREATE TRIGGER turns_handed_over AFTER UPDATE OF visit_id ON visit_staff
BEGIN
  INSERT INTO turns SELECT v.service_id, NEW.staff_id, MAX(b.id) FROM visits v JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE v.id = NEW.visit_id GROUP BY v.service_id
    ON CONFLICT DO UPDATE SET booking_id = MAX(booking_id, excluded.booking_id);
END;
CREATE TRIGGER turns_taken_away AFTER DELETE ON visit_staff
BEGIN
  UPDATE turns SET booking_id = COALESCE((SELECT MAX(b.id) FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id AND v.service_id = turns.service_id
    JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE vs.staff_id = turns.staff_id), 0)
    WHERE staff_id = OLD.staff_id AND booking_id IN (SELECT id FROM bookings WHERE visit_id = OLD.visit_id);
END;
