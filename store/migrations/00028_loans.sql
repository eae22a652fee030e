-- +goose Up
-- What one account lets another see: a tune, as it is set or as a pupil's sheet (profile_id), or with no tune that the account is this
-- pupil. Until the link is used to_id is NULL and hash is that of its secret. shows_log is the borrower's to set.
CREATE TABLE IF NOT EXISTS loans (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  to_id UUID NULL,
  tune_id UUID NULL,
  profile_id UUID NULL,
  copies BOOLEAN NOT NULL,
  shows_log BOOLEAN NOT NULL DEFAULT FALSE,
  hash BINARY(32) NULL,
  expires_at DATETIME(6) NULL,
  made_at DATETIME(6) NOT NULL,
  UNIQUE KEY by_hash (hash),
  KEY to_whom (to_id, tune_id),
  KEY of_pupil (owner_id, profile_id),
  FOREIGN KEY (to_id) REFERENCES players (id) ON DELETE CASCADE,
  FOREIGN KEY (owner_id) REFERENCES players (id) ON DELETE CASCADE,
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE,
  FOREIGN KEY (owner_id, profile_id) REFERENCES profiles (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
