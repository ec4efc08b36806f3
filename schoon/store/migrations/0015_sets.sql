-- Named entries of a level: a mouth, a blink, a hand; each a drawing or a short run of them.
CREATE TABLE set_entries (
    level_id INT UNSIGNED NOT NULL,
    name VARCHAR(40) CHARACTER SET utf8mb4 NOT NULL,
    place SMALLINT UNSIGNED NOT NULL,
    position SMALLINT UNSIGNED NOT NULL,
    drawing_id INT UNSIGNED NOT NULL,
    frames SMALLINT UNSIGNED NOT NULL,
    PRIMARY KEY (level_id, name, position),
    FOREIGN KEY (level_id) REFERENCES levels (id) ON DELETE CASCADE,
    FOREIGN KEY (drawing_id) REFERENCES drawings (id) ON DELETE CASCADE
) ENGINE=InnoDB;
