-- Drawings of a linked copy of a level: all with one twin are the same drawing, named by the id of the first.
ALTER TABLE drawings ADD COLUMN twin INT UNSIGNED NULL, ADD INDEX (twin);
