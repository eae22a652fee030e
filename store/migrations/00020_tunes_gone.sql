-- +goose Up
-- A tune that was deleted can be brought back for a month.
ALTER TABLE tunes ADD COLUMN IF NOT EXISTS gone_at DATETIME(6) NULL;
