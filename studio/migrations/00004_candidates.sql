-- +goose Up
-- Who decided, as far as people said; there are no accounts.
ALTER TABLE decisions ADD COLUMN IF NOT EXISTS who VARCHAR(80) NOT NULL DEFAULT '';

-- Drawings handed in side by side, of which one is to be chosen. A file with
-- several drawings has a row for each, with the page it stands on.
CREATE TABLE IF NOT EXISTS candidates (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  client_id BIGINT NOT NULL,
  filename VARCHAR(255) NOT NULL,
  sha256 BINARY(32) NOT NULL,
  page VARCHAR(120) NOT NULL DEFAULT '',
  chosen BOOLEAN NOT NULL DEFAULT FALSE,
  mark_id BIGINT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY (client_id, sha256, page),
  FOREIGN KEY (client_id) REFERENCES clients (id),
  FOREIGN KEY (mark_id) REFERENCES marks (id),
  FOREIGN KEY (sha256) REFERENCES blobs (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS candidates;
ALTER TABLE decisions DROP COLUMN IF EXISTS who;
