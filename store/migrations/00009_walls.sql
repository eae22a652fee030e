-- +goose Up
-- Nothing of one owner's can belong to a thing of another's: the database itself refuses it.
-- +goose StatementBegin
ALTER TABLE tunes ADD UNIQUE KEY IF NOT EXISTS of_owner (owner_id, id);
-- +goose StatementEnd
-- +goose StatementBegin
ALTER TABLE profiles ADD UNIQUE KEY IF NOT EXISTS of_owner (owner_id, id);
-- +goose StatementEnd
-- +goose StatementBegin
ALTER TABLE edits
  ADD FOREIGN KEY IF NOT EXISTS edit_of_own_tune (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE,
  ADD FOREIGN KEY IF NOT EXISTS edit_with_own_profile (owner_id, profile_id) REFERENCES profiles (owner_id, id);
-- +goose StatementEnd
-- +goose StatementBegin
ALTER TABLE plans ADD FOREIGN KEY IF NOT EXISTS plan_of_own_tune (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE;
-- +goose StatementEnd
