-- What proofing found in a level, as far as it was computed last, and what a person waved through.
CREATE TABLE findings (
    level_id INT UNSIGNED PRIMARY KEY,
    made_from CHAR(64) CHARACTER SET ascii NOT NULL,
    found MEDIUMTEXT NOT NULL,
    FOREIGN KEY (level_id) REFERENCES levels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

ALTER TABLE levels ADD COLUMN waved TEXT CHARACTER SET utf8mb4 NULL;

-- Whether a note is done, and who wrote it.
ALTER TABLE notes ADD COLUMN done BOOLEAN NOT NULL DEFAULT FALSE, ADD COLUMN writer VARCHAR(60) NOT NULL DEFAULT '';
