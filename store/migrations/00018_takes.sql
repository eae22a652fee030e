-- +goose Up
-- Recordings of tunes that are kept: what was heard in each. Their sound is in take_blocks.
CREATE TABLE IF NOT EXISTS takes (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  tune_id UUID NOT NULL,
  at DATETIME(6) NOT NULL,
  name VARCHAR(255) NOT NULL,
  samples BIGINT NOT NULL,
  plan CHAR(64) CHARACTER SET ascii NOT NULL,
  doc JSON NOT NULL,
  UNIQUE KEY of_owner (owner_id, id),
  KEY of_tune (owner_id, tune_id, at),
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
