-- A level put aside is neither seen nor handed off; it can be brought back with all its drawings.
ALTER TABLE levels ADD COLUMN aside BOOLEAN NOT NULL DEFAULT FALSE;
