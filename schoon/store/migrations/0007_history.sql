-- Everything an artist changes has revisions: drawings, a shot's time, its stack of levels, a model. Who did it stands
-- with the action. A revision names its documents by part, so that a new part needs no new column. One without an
-- action is how things stood before the first.
ALTER TABLE actions ADD COLUMN actor VARCHAR(60) NOT NULL DEFAULT '';

ALTER TABLE jobs ADD COLUMN actor VARCHAR(60) NOT NULL DEFAULT '';

ALTER TABLE revisions
    MODIFY drawing_id INT UNSIGNED NULL,
    MODIFY action_id BIGINT UNSIGNED NULL,
    ADD COLUMN subject VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT 'drawing' AFTER id,
    ADD COLUMN shot_id INT UNSIGNED NULL AFTER drawing_id,
    ADD COLUMN model_id INT UNSIGNED NULL AFTER shot_id,
    ADD COLUMN parts TEXT CHARACTER SET ascii NOT NULL DEFAULT '{}',
    ADD FOREIGN KEY (shot_id) REFERENCES shots (id) ON DELETE CASCADE,
    ADD FOREIGN KEY (model_id) REFERENCES models (id) ON DELETE CASCADE;

UPDATE revisions SET parts = JSON_OBJECT('line', line, 'seal', seal, 'paint', paint) WHERE parts = '{}';

ALTER TABLE shots ADD COLUMN time_head BIGINT UNSIGNED NULL, ADD COLUMN stack_head BIGINT UNSIGNED NULL;

ALTER TABLE models ADD COLUMN head BIGINT UNSIGNED NULL;

-- A frame may show nothing, or begin to repeat what stood before: `again` is the frame the repeat begins with.
ALTER TABLE exposures MODIFY drawing_id INT UNSIGNED NULL, ADD COLUMN again INT UNSIGNED NULL;

-- A colour key that was taken out keeps its colours, as a pot does.
ALTER TABLE colour_keys
    ADD COLUMN alive BOOLEAN NULL DEFAULT TRUE,
    ADD UNIQUE KEY colour_keys_name (model_id, name, alive),
    DROP KEY model_id;
