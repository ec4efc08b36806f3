-- A step back or on makes no action of its own: what was answered to it is kept by its token, so that it is done once.
CREATE TABLE IF NOT EXISTS answers (
    token CHAR(32) CHARACTER SET ascii PRIMARY KEY,
    answer MEDIUMTEXT CHARACTER SET utf8mb4 NOT NULL,
    at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    KEY answers_at (at)
) ENGINE=InnoDB;
