-- Drawings that are as they are on purpose: nothing asks about them.
ALTER TABLE drawings ADD COLUMN meant BOOLEAN NOT NULL DEFAULT FALSE;
