-- What proofing found in a level, as far as it was computed last, and what a person waved through.
CREATE TABLE findings (
    level_id INT UNSIGNED PRIMARY KEY,
    made_from CHAR(64) CHARACTER SET ascii NOT NULL,
    found MEDIUMTEXT NOT NULL,
    FOREIGN KEY (level_id) REFERENCES levels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

ALTER TABLE levels ADD COLUMN waved TEXT CHARACTER SET utf8mb4 NULL;
