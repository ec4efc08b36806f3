-- A moment of a shot that was given a name, to be fetched back; labels of drawings; extremes beside keys.
ALTER TABLE actions ADD COLUMN kept VARCHAR(80) CHARACTER SET utf8mb4 NOT NULL DEFAULT '';
ALTER TABLE drawings ADD COLUMN label VARCHAR(120) CHARACTER SET utf8mb4 NULL,
    MODIFY kind ENUM('key', 'breakdown', 'inbetween', 'extreme') NOT NULL DEFAULT 'inbetween';
