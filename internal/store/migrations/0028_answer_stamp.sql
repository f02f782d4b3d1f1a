-- When the answer was made that counts, by its maker's clock: mail can arrive in another order.
ALTER TABLE bookings ADD COLUMN answer_stamp INTEGER NOT NULL DEFAULT 0;
