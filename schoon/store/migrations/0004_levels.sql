-- A locked level is seen and handed off, but not changed.
ALTER TABLE levels ADD COLUMN locked BOOLEAN NOT NULL DEFAULT FALSE;
