-- +goose Up
-- The sound of recordings: one channel of 16 bits, 48,000 samples a second, little end first, in blocks of 1 MiB but for the last.
CREATE TABLE IF NOT EXISTS take_blocks (
  owner_id UUID NOT NULL,
  take_id UUID NOT NULL,
  number INT NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (owner_id, take_id, number),
  FOREIGN KEY (owner_id, take_id) REFERENCES takes (owner_id, id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
