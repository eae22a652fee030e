-- +goose Up
-- Days on which tunes are to be played to others: practice is planned back from them.
CREATE TABLE IF NOT EXISTS occasions (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  name VARCHAR(255) NOT NULL,
  doc JSON NOT NULL,
  version INT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  updated_at DATETIME(6) NOT NULL,
  FOREIGN KEY (owner_id) REFERENCES players (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
