-- +goose Up
-- The player who needs no account at this machine: the first of all.
-- +goose StatementBegin
ALTER TABLE players ADD COLUMN IF NOT EXISTS here BOOLEAN NOT NULL DEFAULT FALSE;
-- +goose StatementEnd
-- +goose StatementBegin
UPDATE players SET here = TRUE ORDER BY created_at, id LIMIT 1;
-- +goose StatementEnd
-- An account lets a player in; one who plays at this machine alone has none. Hashes of one-time secrets are SHA-256.
-- +goose StatementBegin
CREATE TABLE IF NOT EXISTS accounts (
  owner_id UUID NOT NULL PRIMARY KEY,
  name VARCHAR(60) NOT NULL,
  password VARCHAR(255) CHARACTER SET ascii NOT NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY by_name (name),
  FOREIGN KEY (owner_id) REFERENCES players (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
-- +goose StatementEnd
-- +goose StatementBegin
-- What the session library keeps, by the hash of the token.
CREATE TABLE IF NOT EXISTS sessions (
  token CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  data BLOB NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  KEY by_expiry (expires_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
-- +goose StatementBegin
-- Who is signed in where: a session holds the id of one of these, and is worth nothing without it.
CREATE TABLE IF NOT EXISTS signins (
  id UUID NOT NULL PRIMARY KEY,
  owner_id UUID NOT NULL,
  agent VARCHAR(200) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  seen_at DATETIME(6) NOT NULL,
  KEY by_owner (owner_id, created_at),
  FOREIGN KEY (owner_id) REFERENCES accounts (owner_id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
-- +goose StatementBegin
-- One-time links: 'first' and 'invite' make an account, 'reset' gives owner_id's a new password.
CREATE TABLE IF NOT EXISTS links (
  hash BINARY(32) NOT NULL PRIMARY KEY,
  kind VARCHAR(10) CHARACTER SET ascii NOT NULL,
  owner_id UUID NULL,
  expires_at DATETIME(6) NOT NULL,
  FOREIGN KEY (owner_id) REFERENCES players (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
-- +goose StatementBegin
-- Failed sign-ins by address, by name and by known browser, hashed.
CREATE TABLE IF NOT EXISTS attempts (
  hash BINARY(32) NOT NULL PRIMARY KEY,
  failures INT NOT NULL,
  wait_until DATETIME(6) NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
-- +goose StatementBegin
-- Browsers in which somebody has signed in before: what strangers try does not slow them down.
CREATE TABLE IF NOT EXISTS browsers (
  hash BINARY(32) NOT NULL,
  owner_id UUID NOT NULL,
  seen_at DATETIME(6) NOT NULL,
  PRIMARY KEY (owner_id, hash),
  FOREIGN KEY (owner_id) REFERENCES accounts (owner_id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- +goose StatementEnd
