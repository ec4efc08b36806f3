-- A change that is sent again, because its answer was lost, is done once: the browser names it by a token.
ALTER TABLE actions
    ADD COLUMN token CHAR(32) CHARACTER SET ascii NULL,
    ADD UNIQUE KEY actions_token (token);

-- A job belongs to one process at a time: it holds a lease and renews it. Kinds and lanes are the program's to name.
ALTER TABLE jobs
    MODIFY kind VARCHAR(20) CHARACTER SET ascii NOT NULL,
    ADD COLUMN token CHAR(32) CHARACTER SET ascii NULL,
    ADD COLUMN owner VARCHAR(120) CHARACTER SET ascii NULL,
    ADD COLUMN leased_until DATETIME(3) NULL,
    ADD UNIQUE KEY jobs_token (token),
    ADD KEY jobs_state (state);

-- A pot that was taken out keeps its colours, so that undo can bring it back; alive is NULL then, and its name is free.
ALTER TABLE pots
    ADD COLUMN alive BOOLEAN NULL DEFAULT TRUE,
    ADD UNIQUE KEY pots_name (model_id, name, alive),
    DROP KEY model_id;

-- Steps that are done once and never again, such as those of loading the demo.
CREATE TABLE steps (
    name VARCHAR(80) CHARACTER SET ascii PRIMARY KEY,
    done_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) ENGINE=InnoDB;
