-- +goose Up
CREATE TABLE IF NOT EXISTS tunes (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  title VARCHAR(200) NOT NULL,
  source MEDIUMTEXT NOT NULL,
  head INT NOT NULL,
  version INT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  updated_at DATETIME(6) NOT NULL,
  FOREIGN KEY (owner_id) REFERENCES players (id),
  KEY by_owner (owner_id, created_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
