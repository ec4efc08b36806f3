-- Rigid props of a production: a file or forms of a model sheet, as one text. What is placed in drawings is a document of theirs.
CREATE TABLE props (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    production_id INT UNSIGNED NOT NULL,
    model_id INT UNSIGNED NULL,
    name VARCHAR(60) CHARACTER SET utf8mb4 NOT NULL,
    part VARCHAR(60) CHARACTER SET utf8mb4 NOT NULL,
    sheet CHAR(64) CHARACTER SET ascii NULL,
    made MEDIUMTEXT CHARACTER SET utf8mb4 NOT NULL,
    gone BOOLEAN NOT NULL DEFAULT FALSE,
    FOREIGN KEY (production_id) REFERENCES productions (id) ON DELETE CASCADE,
    FOREIGN KEY (model_id) REFERENCES models (id) ON DELETE SET NULL,
    FOREIGN KEY (sheet) REFERENCES pictures (sha256)
) ENGINE=InnoDB;
