-- What a visit costs each place, in the smallest unit of the business's currency, where it is paid before it stands; 0 for
-- nothing. A client who cancels until so many minutes before it has the money back; -1 for never.
ALTER TABLE services ADD COLUMN prepaid INTEGER NOT NULL DEFAULT 0;
ALTER TABLE services ADD COLUMN refund_until INTEGER NOT NULL DEFAULT 0;
ALTER TABLE businesses ADD COLUMN currency TEXT NOT NULL DEFAULT 'EUR';

-- Until when a booking is held while its client pays; 0 for one that nobody has to pay.
ALTER TABLE bookings ADD COLUMN hold_until INTEGER NOT NULL DEFAULT 0;

CREATE TABLE payments (
  id          INTEGER PRIMARY KEY,
  key         TEXT NOT NULL UNIQUE, -- by which the host knows it
  booking_id  INTEGER NOT NULL,     -- that it is for; 0 while none stands
  token_hash  TEXT NOT NULL,        -- of the client's own address
  request     BLOB NOT NULL,        -- what was asked for, sealed: it is asked for again where money comes late
  amount      INTEGER NOT NULL,
  currency    TEXT NOT NULL,
  state       TEXT NOT NULL CHECK (state IN ('open', 'lapsed', 'closed', 'paid', 'refund due', 'refunded')),
  address     TEXT NOT NULL DEFAULT '', -- where the client pays
  hold_until  INTEGER NOT NULL,
  made_at     INTEGER NOT NULL,
  paid_at     INTEGER NOT NULL DEFAULT 0,
  refunded_at INTEGER NOT NULL DEFAULT 0,
  why         TEXT NOT NULL DEFAULT '', -- it is paid back
  error       TEXT NOT NULL DEFAULT '',
  attempts    INTEGER NOT NULL DEFAULT 0,
  tried_at    INTEGER NOT NULL DEFAULT 0,
  next_at     INTEGER NOT NULL
);
CREATE INDEX payments_due ON payments(next_at) WHERE next_at < 9000000000000000000;
CREATE INDEX payments_of_booking ON payments(booking_id) WHERE booking_id > 0;
CREATE INDEX payments_by_token ON payments(token_hash);
