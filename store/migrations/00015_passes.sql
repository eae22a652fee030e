-- +goose Up
-- The log of practice: each row is one time that a step of a ladder was played, and how it went.
CREATE TABLE IF NOT EXISTS passes (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  tune_id UUID NOT NULL,
  at DATETIME(6) NOT NULL,
  step VARCHAR(160) NOT NULL,
  layer VARCHAR(20) CHARACTER SET ascii NOT NULL,
  bar_first INT NOT NULL,
  bar_last INT NOT NULL,
  tempo DOUBLE NOT NULL,
  verdict TINYINT NOT NULL,
  seconds DOUBLE NOT NULL,
  plan CHAR(64) CHARACTER SET ascii NOT NULL,
  motion JSON NULL,
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE,
  KEY of_tune (owner_id, tune_id, at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
