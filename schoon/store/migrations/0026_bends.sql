-- Bends of a pose that a production keeps under names.
CREATE TABLE bends (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    production_id INT UNSIGNED NOT NULL,
    name VARCHAR(120) CHARACTER SET utf8mb4 NOT NULL,
    points TEXT CHARACTER SET ascii NOT NULL,
    UNIQUE KEY (production_id, name),
    FOREIGN KEY (production_id) REFERENCES productions (id) ON DELETE CASCADE
) ENGINE=InnoDB;
