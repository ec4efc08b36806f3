-- Pictures and documents are named by what they hold, so a dump of the database is the whole production.
CREATE TABLE pictures (
    sha256 CHAR(64) CHARACTER SET ascii PRIMARY KEY,
    mime VARCHAR(40) NOT NULL,
    width INT UNSIGNED NOT NULL,
    height INT UNSIGNED NOT NULL,
    body LONGBLOB NOT NULL
) ENGINE=InnoDB;

CREATE TABLE documents (
    sha256 CHAR(64) CHARACTER SET ascii PRIMARY KEY,
    body LONGBLOB NOT NULL
) ENGINE=InnoDB;

CREATE TABLE productions (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(120) NOT NULL UNIQUE,
    created_at DATETIME NOT NULL DEFAULT CURRENT_TIMESTAMP
) ENGINE=InnoDB;

CREATE TABLE models (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    production_id INT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    line_width DECIMAL(5, 2) NOT NULL DEFAULT 4,
    UNIQUE (production_id, name),
    FOREIGN KEY (production_id) REFERENCES productions (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE model_pictures (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    model_id INT UNSIGNED NOT NULL,
    position INT NOT NULL,
    caption VARCHAR(120) NOT NULL,
    sha256 CHAR(64) CHARACTER SET ascii NOT NULL,
    FOREIGN KEY (model_id) REFERENCES models (id) ON DELETE CASCADE,
    FOREIGN KEY (sha256) REFERENCES pictures (sha256)
) ENGINE=InnoDB;

CREATE TABLE pots (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    model_id INT UNSIGNED NOT NULL,
    name VARCHAR(60) NOT NULL,
    position INT NOT NULL,
    UNIQUE (model_id, name),
    FOREIGN KEY (model_id) REFERENCES models (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE colour_keys (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    model_id INT UNSIGNED NOT NULL,
    name VARCHAR(60) NOT NULL,
    position INT NOT NULL,
    ink CHAR(7) CHARACTER SET ascii NOT NULL,
    backdrop CHAR(7) CHARACTER SET ascii NOT NULL,
    UNIQUE (model_id, name),
    FOREIGN KEY (model_id) REFERENCES models (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE key_colours (
    key_id INT UNSIGNED NOT NULL,
    pot_id INT UNSIGNED NOT NULL,
    colour CHAR(7) CHARACTER SET ascii NOT NULL,
    PRIMARY KEY (key_id, pot_id),
    FOREIGN KEY (key_id) REFERENCES colour_keys (id) ON DELETE CASCADE,
    FOREIGN KEY (pot_id) REFERENCES pots (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE shots (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    production_id INT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    fps DECIMAL(6, 3) NOT NULL,
    width INT UNSIGNED NOT NULL DEFAULT 0,
    height INT UNSIGNED NOT NULL DEFAULT 0,
    frames INT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE (production_id, name),
    FOREIGN KEY (production_id) REFERENCES productions (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE levels (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    shot_id INT UNSIGNED NOT NULL,
    name VARCHAR(60) NOT NULL,
    position INT NOT NULL DEFAULT 1,
    model_id INT UNSIGNED NULL,
    key_id INT UNSIGNED NULL,
    UNIQUE (shot_id, name),
    FOREIGN KEY (shot_id) REFERENCES shots (id) ON DELETE CASCADE,
    FOREIGN KEY (model_id) REFERENCES models (id) ON DELETE SET NULL,
    FOREIGN KEY (key_id) REFERENCES colour_keys (id) ON DELETE SET NULL
) ENGINE=InnoDB;

CREATE TABLE drawings (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    level_id INT UNSIGNED NOT NULL,
    number INT UNSIGNED NOT NULL,
    kind ENUM('key', 'breakdown', 'inbetween') NOT NULL DEFAULT 'inbetween',
    rough CHAR(64) CHARACTER SET ascii NOT NULL,
    head BIGINT UNSIGNED NULL,
    UNIQUE (level_id, number),
    FOREIGN KEY (level_id) REFERENCES levels (id) ON DELETE CASCADE,
    FOREIGN KEY (rough) REFERENCES pictures (sha256)
) ENGINE=InnoDB;

CREATE TABLE exposures (
    level_id INT UNSIGNED NOT NULL,
    frame INT UNSIGNED NOT NULL,
    drawing_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (level_id, frame),
    FOREIGN KEY (level_id) REFERENCES levels (id) ON DELETE CASCADE,
    FOREIGN KEY (drawing_id) REFERENCES drawings (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE actions (
    id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    label VARCHAR(160) NOT NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) ENGINE=InnoDB;

-- A revision is a drawing at one moment: its line, its stitches and its paint. It is never changed.
CREATE TABLE revisions (
    id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    drawing_id INT UNSIGNED NOT NULL,
    parent_id BIGINT UNSIGNED NULL,
    action_id BIGINT UNSIGNED NOT NULL,
    line CHAR(64) CHARACTER SET ascii NULL,
    seal CHAR(64) CHARACTER SET ascii NULL,
    paint CHAR(64) CHARACTER SET ascii NULL,
    KEY (parent_id),
    FOREIGN KEY (drawing_id) REFERENCES drawings (id) ON DELETE CASCADE,
    FOREIGN KEY (action_id) REFERENCES actions (id),
    FOREIGN KEY (line) REFERENCES documents (sha256),
    FOREIGN KEY (seal) REFERENCES documents (sha256),
    FOREIGN KEY (paint) REFERENCES documents (sha256)
) ENGINE=InnoDB;

CREATE TABLE jobs (
    id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    kind ENUM('clean', 'seal', 'carry', 'export') NOT NULL,
    level_id INT UNSIGNED NOT NULL,
    settings TEXT NOT NULL,
    state ENUM('waiting', 'running', 'done', 'failed', 'cancelled') NOT NULL DEFAULT 'waiting',
    message VARCHAR(500) NOT NULL DEFAULT '',
    action_id BIGINT UNSIGNED NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    started_at DATETIME(3) NULL,
    ended_at DATETIME(3) NULL,
    FOREIGN KEY (level_id) REFERENCES levels (id) ON DELETE CASCADE,
    FOREIGN KEY (action_id) REFERENCES actions (id)
) ENGINE=InnoDB;

CREATE TABLE job_items (
    job_id INT UNSIGNED NOT NULL,
    drawing_id INT UNSIGNED NOT NULL,
    state ENUM('waiting', 'done', 'failed') NOT NULL DEFAULT 'waiting',
    message VARCHAR(500) NOT NULL DEFAULT '',
    PRIMARY KEY (job_id, drawing_id),
    FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE,
    FOREIGN KEY (drawing_id) REFERENCES drawings (id) ON DELETE CASCADE
) ENGINE=InnoDB;
