-- What copies of visits say, with fields in braces.
ALTER TABLE businesses ADD COLUMN copy_title TEXT NOT NULL DEFAULT '{service} · {client}';
ALTER TABLE businesses ADD COLUMN copy_place TEXT NOT NULL DEFAULT '{place}';
ALTER TABLE businesses ADD COLUMN copy_description TEXT NOT NULL DEFAULT '{clients}';

-- What the owner of a link wishes of the copies in it.
ALTER TABLE links ADD COLUMN alarm INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN private INTEGER NOT NULL DEFAULT 0;
ALTER TABLE links ADD COLUMN unnamed INTEGER NOT NULL DEFAULT 0;
