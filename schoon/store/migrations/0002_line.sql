-- The line rule of a model: weights per kind of line, taper and corners. measures: part -> what the model says of it.
ALTER TABLE models ADD COLUMN line_rule TEXT NULL, ADD COLUMN measures MEDIUMTEXT NULL;

-- How the roughs of a level are read: searching, detail, following, pencils.
ALTER TABLE levels ADD COLUMN reading TEXT NULL;

ALTER TABLE jobs MODIFY kind ENUM('clean', 'seal', 'carry', 'export', 'fit') NOT NULL;
