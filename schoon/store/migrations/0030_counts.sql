-- What is in a drawing, counted from its documents, so that the shelf need not read them all. It can always be counted anew.
CREATE TABLE IF NOT EXISTS counts (
    name CHAR(64) CHARACTER SET ascii PRIMARY KEY,
    body TEXT NOT NULL
) ENGINE=InnoDB;
