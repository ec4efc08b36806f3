-- Colour keys that a level takes on from a frame on.
ALTER TABLE levels ADD COLUMN key_changes TEXT CHARACTER SET ascii NULL;
