-- What a person drew as a note on a drawing: ways of the pen, each x and y in turn, px.
ALTER TABLE notes ADD COLUMN drawn MEDIUMTEXT CHARACTER SET ascii NULL;
