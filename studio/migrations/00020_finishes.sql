-- +goose Up
-- Finishes that people saved, for all marks of a client.
CREATE TABLE IF NOT EXISTS finishes (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  client_id BIGINT NOT NULL,
  name VARCHAR(80) NOT NULL,
  body TEXT NOT NULL,
  who VARCHAR(80) NOT NULL DEFAULT '',
  changed_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6),
  UNIQUE KEY (client_id, name),
  FOREIGN KEY (client_id) REFERENCES clients (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE IF EXISTS finishes;
