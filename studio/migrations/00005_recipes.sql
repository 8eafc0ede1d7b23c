-- +goose Up
-- Recipes that people saved, for a client or, with none, for all.
CREATE TABLE IF NOT EXISTS recipes (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  client_id BIGINT NULL,
  scope BIGINT AS (COALESCE(client_id, 0)) PERSISTENT,
  name VARCHAR(120) NOT NULL,
  body LONGTEXT NOT NULL,
  changed_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6),
  UNIQUE KEY (scope, name),
  FOREIGN KEY (client_id) REFERENCES clients (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS recipes;
