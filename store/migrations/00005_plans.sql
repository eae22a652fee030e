-- +goose Up
-- The plan document last worked out for a tune, and what it was worked out from.
CREATE TABLE IF NOT EXISTS plans (
  tune_id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  basis CHAR(64) CHARACTER SET ascii NOT NULL,
  doc LONGTEXT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  FOREIGN KEY (tune_id) REFERENCES tunes (id) ON DELETE CASCADE,
  FOREIGN KEY (owner_id) REFERENCES players (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
