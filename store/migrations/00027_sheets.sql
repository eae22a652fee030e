-- +goose Up
-- For whom of the owner's players a tune has a sheet of its own, and at which level.
CREATE TABLE IF NOT EXISTS sheets (
  owner_id UUID NOT NULL,
  tune_id UUID NOT NULL,
  profile_id UUID NOT NULL,
  level VARCHAR(24) NOT NULL,
  ease TINYINT NOT NULL,
  PRIMARY KEY (owner_id, tune_id, profile_id),
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE,
  FOREIGN KEY (owner_id, profile_id) REFERENCES profiles (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
