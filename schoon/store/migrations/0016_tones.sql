-- Kinds of tone beside shade and light; the rule of a key for pots without a colour; where the light of a level stands.
ALTER TABLE key_colours
    ADD COLUMN deep CHAR(7) CHARACTER SET ascii NULL,
    ADD COLUMN rim CHAR(7) CHARACTER SET ascii NULL,
    ADD COLUMN blush CHAR(7) CHARACTER SET ascii NULL;

ALTER TABLE colour_keys ADD COLUMN rules TEXT CHARACTER SET ascii NULL;

ALTER TABLE levels ADD COLUMN light TEXT CHARACTER SET utf8mb4 NULL;

