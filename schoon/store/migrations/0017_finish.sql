-- What is done to the picture of a level beside its paint and tones, in order.
ALTER TABLE levels ADD COLUMN finish TEXT CHARACTER SET utf8mb4 NULL;
