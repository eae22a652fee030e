-- +goose Up
-- One row for each state of a tune's settings and pins; tunes.head is the one in force.
CREATE TABLE IF NOT EXISTS edits (
  tune_id UUID NOT NULL,
  seq INT NOT NULL,
  owner_id UUID NOT NULL,
  profile_id UUID NOT NULL,
  settings JSON NOT NULL,
  created_at DATETIME(6) NOT NULL,
  PRIMARY KEY (tune_id, seq),
  FOREIGN KEY (tune_id) REFERENCES tunes (id) ON DELETE CASCADE,
  FOREIGN KEY (owner_id) REFERENCES players (id),
  FOREIGN KEY (profile_id) REFERENCES profiles (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
