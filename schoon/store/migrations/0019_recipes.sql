-- What glass reflects, as a tone of its own.
ALTER TABLE key_colours ADD COLUMN reflection CHAR(7) CHARACTER SET ascii NULL;

-- Lists of the finish that a production keeps under names.
CREATE TABLE recipes (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    production_id INT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    finish TEXT NOT NULL,
    UNIQUE KEY (production_id, name),
    FOREIGN KEY (production_id) REFERENCES productions (id) ON DELETE CASCADE
) ENGINE=InnoDB;
