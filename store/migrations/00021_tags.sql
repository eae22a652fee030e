-- +goose Up
-- A player's own words for a tune, divided by commas (setup.ParseTags).
ALTER TABLE tunes ADD COLUMN IF NOT EXISTS tags VARCHAR(255) NOT NULL DEFAULT '';
