-- Sites, by their origins, that may show a page in a frame.
ALTER TABLE services ADD COLUMN sites TEXT;
