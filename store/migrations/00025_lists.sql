-- +goose Up
-- Lists of thousands of tunes: the tuning of each state of a tune beside its settings, and indexes for what lists ask.
-- +goose StatementBegin
ALTER TABLE edits ADD COLUMN IF NOT EXISTS tuning VARCHAR(120) NOT NULL DEFAULT '';
-- +goose StatementEnd
-- +goose StatementBegin
UPDATE edits SET tuning = LEFT(COALESCE(JSON_VALUE(settings, '$.tuning'), ''), 120) WHERE tuning = '';
-- +goose StatementEnd
-- +goose StatementBegin
ALTER TABLE edits ADD KEY IF NOT EXISTS by_tuning (owner_id, tuning);
-- +goose StatementEnd
-- +goose StatementBegin
ALTER TABLE tunes ADD KEY IF NOT EXISTS here (owner_id, gone_at, tags), ADD KEY IF NOT EXISTS by_title (owner_id, gone_at, title), ADD KEY IF NOT EXISTS by_change (owner_id, updated_at);
-- +goose StatementEnd
-- +goose StatementBegin
ALTER TABLE passes ADD KEY IF NOT EXISTS by_time (owner_id, at), ADD KEY IF NOT EXISTS by_key (owner_id, id);
-- +goose StatementEnd
-- +goose StatementBegin
ALTER TABLE results ADD KEY IF NOT EXISTS by_time (owner_id, kind, saved_at);
-- +goose StatementEnd
