-- +goose Up
-- What a teacher writes at a bar for one pupil, or for everybody (a profile of zeros): who borrows the tune reads it.
CREATE TABLE IF NOT EXISTS remarks (
  owner_id UUID NOT NULL,
  tune_id UUID NOT NULL,
  profile_id UUID NOT NULL,
  bar INT NOT NULL,
  remark VARCHAR(300) NOT NULL,
  PRIMARY KEY (owner_id, tune_id, profile_id, bar),
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
