-- What the columns said stands in `parts` since the migration before.
ALTER TABLE revisions
    DROP FOREIGN KEY revisions_ibfk_3,
    DROP FOREIGN KEY revisions_ibfk_4,
    DROP FOREIGN KEY revisions_ibfk_5,
    DROP COLUMN line,
    DROP COLUMN seal,
    DROP COLUMN paint;
