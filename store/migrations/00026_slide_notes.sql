-- +goose Up
-- The log of the trainer for the slide: each row is one note that a player stopped, and how far off it was.
CREATE TABLE IF NOT EXISTS slide_notes (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  profile_id UUID NOT NULL,
  at DATETIME(6) NOT NULL,
  doc JSON NOT NULL,
  FOREIGN KEY (owner_id, profile_id) REFERENCES profiles (owner_id, id) ON DELETE CASCADE,
  KEY of_player (owner_id, profile_id, at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
