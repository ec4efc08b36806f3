-- Lights of a level that stand otherwise where it is seen in one colour key.
ALTER TABLE levels ADD COLUMN key_light TEXT CHARACTER SET utf8mb4 NULL;
