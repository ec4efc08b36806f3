-- Pictures and clips that lie beside the paper: of a shot, or of a model and so of every shot it is used in.
CREATE TABLE refs (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    shot_id INT UNSIGNED NULL,
    model_id INT UNSIGNED NULL,
    name VARCHAR(80) CHARACTER SET utf8mb4 NOT NULL,
    pictures MEDIUMTEXT CHARACTER SET ascii NOT NULL,
    fps DECIMAL(7, 3) NOT NULL DEFAULT 0,
    place VARCHAR(400) CHARACTER SET ascii NOT NULL DEFAULT '{}',
    FOREIGN KEY (shot_id) REFERENCES shots (id) ON DELETE CASCADE,
    FOREIGN KEY (model_id) REFERENCES models (id) ON DELETE CASCADE
) ENGINE=InnoDB;
