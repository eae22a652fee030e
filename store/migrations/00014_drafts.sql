-- +goose Up
-- What is on its way in and no tune yet: a file that was read, or notes that are entered on the neck.
CREATE TABLE IF NOT EXISTS drafts (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  name VARCHAR(255) NOT NULL,
  doc JSON NOT NULL,
  version INT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  updated_at DATETIME(6) NOT NULL,
  FOREIGN KEY (owner_id) REFERENCES players (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
