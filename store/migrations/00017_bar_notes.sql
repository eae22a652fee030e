-- +goose Up
-- What a player has written to himself beside a bar of a tune.
CREATE TABLE IF NOT EXISTS bar_notes (
  owner_id UUID NOT NULL,
  tune_id UUID NOT NULL,
  bar INT NOT NULL,
  note VARCHAR(300) NOT NULL,
  PRIMARY KEY (owner_id, tune_id, bar),
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
