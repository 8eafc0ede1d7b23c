-- +goose Up
-- What the clients of a studio call things, in words that are understood: of one client, or of
-- all where there is none.
CREATE TABLE IF NOT EXISTS wordings (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  studio_id BIGINT NOT NULL,
  client_id BIGINT NULL,
  scope BIGINT AS (COALESCE(client_id, 0)) PERSISTENT,
  said VARCHAR(80) NOT NULL,
  means VARCHAR(200) NOT NULL,
  who VARCHAR(120) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY one_of_client (studio_id, scope, said),
  FOREIGN KEY wordings_of_studio (studio_id) REFERENCES studios (id),
  FOREIGN KEY wordings_of_client (client_id) REFERENCES clients (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS wordings;
