-- +goose Up
-- What long work about a tune has found, so that every copy of the program can show it, and go on with it after the one that did it has gone.
-- +goose StatementBegin
CREATE TABLE IF NOT EXISTS results (
  owner_id UUID NOT NULL,
  tune_id UUID NOT NULL,
  kind VARCHAR(40) CHARACTER SET ascii NOT NULL,
  basis VARCHAR(255) NOT NULL,
  doc MEDIUMTEXT NOT NULL,
  under_way BOOLEAN NOT NULL,
  wanted BOOLEAN NOT NULL,
  saved_at DATETIME(6) NOT NULL,
  PRIMARY KEY (owner_id, tune_id, kind),
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
