-- +goose Up
-- Fonts a client's masters are set in, as uploaded.
CREATE TABLE IF NOT EXISTS fonts (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  client_id BIGINT NOT NULL,
  family VARCHAR(200) NOT NULL,
  filename VARCHAR(255) NOT NULL,
  sha256 BINARY(32) NOT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY (client_id, sha256),
  FOREIGN KEY (client_id) REFERENCES clients (id),
  FOREIGN KEY (sha256) REFERENCES blobs (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS fonts;
