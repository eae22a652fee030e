-- +goose Up
-- What the list of tunes shows, so that it need not read every text; '' until it is known.
-- +goose StatementBegin
ALTER TABLE tunes ADD COLUMN IF NOT EXISTS facts VARCHAR(120) NOT NULL DEFAULT '';
-- +goose StatementEnd
