-- A drawing whose rough was taken in again: the rough it had at first, and whether somebody has looked at the new one.
ALTER TABLE drawings
    ADD COLUMN was CHAR(64) CHARACTER SET ascii NULL,
    ADD COLUMN looked BOOLEAN NOT NULL DEFAULT TRUE,
    ADD FOREIGN KEY (was) REFERENCES pictures (sha256);
