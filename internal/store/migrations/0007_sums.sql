-- A service's notice and its booking window in the shapes in which they are sent and written down; NULL for none.
ALTER TABLE services ADD COLUMN notice TEXT;
ALTER TABLE services ADD COLUMN "window" TEXT;

UPDATE services SET notice = CASE notice_kind
  WHEN 'minutes' THEN json_object('minutes', notice_minutes)
  WHEN 'day' THEN json_object('daysBefore', notice_days, 'by', notice_by) END;

-- A merge leaves out what is null.
UPDATE services SET "window" = CASE
  WHEN window_kind = 'days' THEN json_object('days', window_days)
  WHEN window_kind = 'dates' AND (window_from <> '' OR window_to <> '') THEN json_patch('{}', json_object('from', NULLIF(window_from, ''), 'to', NULLIF(window_to, ''))) END;

ALTER TABLE services DROP COLUMN notice_kind;
ALTER TABLE services DROP COLUMN notice_minutes;
ALTER TABLE services DROP COLUMN notice_days;
ALTER TABLE services DROP COLUMN notice_by;
ALTER TABLE services DROP COLUMN window_kind;
ALTER TABLE services DROP COLUMN window_days;
ALTER TABLE services DROP COLUMN window_from;
ALTER TABLE services DROP COLUMN window_to;
