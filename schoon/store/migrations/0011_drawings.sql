-- A drawing's number is what is written on its paper: 7, or 7a between 7 and 8. One may be taken out of the run and be
-- brought back by undo; one without a rough is an empty sheet to draw on.
ALTER TABLE drawings
    MODIFY number VARCHAR(12) CHARACTER SET ascii NOT NULL,
    MODIFY rough CHAR(64) CHARACTER SET ascii NULL,
    ADD COLUMN alive BOOLEAN NULL DEFAULT TRUE,
    ADD UNIQUE KEY drawings_number (level_id, number, alive),
    DROP KEY level_id;

-- How drawings that are put between others are numbered: with letters, or all of the run anew.
ALTER TABLE shots ADD COLUMN numbering ENUM('letters', 'all') NOT NULL DEFAULT 'letters';
