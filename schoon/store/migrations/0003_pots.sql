-- Pots belong to parts of the model; they may be see-through; the model says how often and how large they come.
ALTER TABLE pots
    ADD COLUMN part VARCHAR(60) NOT NULL DEFAULT '',
    ADD COLUMN opacity TINYINT UNSIGNED NOT NULL DEFAULT 100,
    ADD COLUMN expected SMALLINT UNSIGNED NULL,
    ADD COLUMN share FLOAT NULL;

-- Beside its base a pot has a shade, a light and a line colour in each key, if somebody chose them.
ALTER TABLE key_colours
    ADD COLUMN shade CHAR(7) CHARACTER SET ascii NULL,
    ADD COLUMN light CHAR(7) CHARACTER SET ascii NULL,
    ADD COLUMN line CHAR(7) CHARACTER SET ascii NULL;

-- The picture a colour key was read from.
ALTER TABLE colour_keys
    ADD COLUMN picture CHAR(64) CHARACTER SET ascii NULL,
    ADD FOREIGN KEY (picture) REFERENCES pictures (sha256);

ALTER TABLE jobs MODIFY kind ENUM('clean', 'seal', 'carry', 'export', 'fit', 'track') NOT NULL;
