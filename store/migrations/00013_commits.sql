-- +goose Up
-- One row for each change, so that a change whose commit was not answered can be looked for.
-- +goose StatementBegin
CREATE TABLE IF NOT EXISTS commits (
  id UUID NOT NULL PRIMARY KEY,
  made_at DATETIME(6) NOT NULL,
  KEY by_time (made_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
