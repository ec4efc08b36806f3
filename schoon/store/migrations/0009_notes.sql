-- What is noted of a shot: of a drawing, of frames, or of all of it, in words or as a picture cut from a rough.
CREATE TABLE notes (
    shot_id INT UNSIGNED NOT NULL,
    id CHAR(10) CHARACTER SET ascii NOT NULL,
    drawing_id INT UNSIGNED NULL,
    first INT UNSIGNED NULL,
    last INT UNSIGNED NULL,
    words VARCHAR(500) NOT NULL DEFAULT '',
    picture CHAR(64) CHARACTER SET ascii NULL,
    PRIMARY KEY (shot_id, id),
    FOREIGN KEY (shot_id) REFERENCES shots (id) ON DELETE CASCADE,
    FOREIGN KEY (drawing_id) REFERENCES drawings (id) ON DELETE CASCADE,
    FOREIGN KEY (picture) REFERENCES pictures (sha256)
) ENGINE=InnoDB;
