-- The order of a model's parts from front to rear, and where in a level it is another from a drawing on.
ALTER TABLE models ADD COLUMN depth TEXT CHARACTER SET utf8mb4 NULL;

CREATE TABLE depths (
    level_id INT UNSIGNED NOT NULL,
    drawing_id INT UNSIGNED NOT NULL,
    parts TEXT CHARACTER SET utf8mb4 NOT NULL,
    PRIMARY KEY (level_id, drawing_id),
    FOREIGN KEY (level_id) REFERENCES levels (id) ON DELETE CASCADE,
    FOREIGN KEY (drawing_id) REFERENCES drawings (id) ON DELETE CASCADE
) ENGINE=InnoDB;
