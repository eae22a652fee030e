-- +goose Up
-- Licks: a few bars of a tune, kept with how they are played.
CREATE TABLE IF NOT EXISTS licks (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  name VARCHAR(80) NOT NULL,
  doc JSON NOT NULL,
  version INT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  updated_at DATETIME(6) NOT NULL,
  FOREIGN KEY (owner_id) REFERENCES players (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
