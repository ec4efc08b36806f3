-- A shot that is put away lies aside on the shelf with all it holds, until it is brought back.
ALTER TABLE shots ADD COLUMN IF NOT EXISTS away BOOLEAN NOT NULL DEFAULT FALSE;
