-- +goose Up
-- Files on their way in: they come in parts of 1 MiB, the last one smaller, are worked on, and lead to a place. The parts go when the work is done.
CREATE TABLE IF NOT EXISTS uploads (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  tune_id UUID NULL,
  token BINARY(32) NOT NULL,
  kind VARCHAR(16) CHARACTER SET ascii NOT NULL,
  name VARCHAR(255) NOT NULL,
  fields JSON NOT NULL,
  parts INT NOT NULL,
  bytes BIGINT NOT NULL,
  given BOOLEAN NOT NULL,
  done BOOLEAN NOT NULL,
  place VARCHAR(255) CHARACTER SET ascii NOT NULL,
  fault TEXT NOT NULL,
  doc JSON NOT NULL,
  touched_at DATETIME(6) NOT NULL,
  UNIQUE KEY of_owner (owner_id, id),
  UNIQUE KEY by_token (owner_id, token),
  KEY by_age (touched_at),
  FOREIGN KEY (owner_id) REFERENCES players (id),
  FOREIGN KEY (owner_id, tune_id) REFERENCES tunes (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementBegin
CREATE TABLE IF NOT EXISTS upload_parts (
  owner_id UUID NOT NULL,
  upload_id UUID NOT NULL,
  number INT NOT NULL,
  sum BINARY(32) NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (owner_id, upload_id, number),
  FOREIGN KEY (owner_id, upload_id) REFERENCES uploads (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
