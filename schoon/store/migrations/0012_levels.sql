-- What a level is for, how it is seen, where it lies in the frame over time; and the field of the shot that is seen.
ALTER TABLE levels
    ADD COLUMN kind ENUM('drawings', 'pictures', 'backdrop', 'guide') NOT NULL DEFAULT 'drawings',
    ADD COLUMN seen TEXT CHARACTER SET ascii NULL,
    ADD COLUMN place TEXT CHARACTER SET ascii NULL;

ALTER TABLE shots ADD COLUMN framing TEXT CHARACTER SET ascii NULL;
