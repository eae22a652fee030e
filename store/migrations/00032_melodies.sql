-- +goose Up
-- A tune's melody as text in which licks are looked for (lick.Encode); NULL until it is known, and again when the text changes.
ALTER TABLE tunes ADD COLUMN IF NOT EXISTS melody MEDIUMTEXT CHARACTER SET ascii COLLATE ascii_bin NULL;
