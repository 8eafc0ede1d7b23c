-- +goose Up
-- The inks of a client are kept whole; every change is a new row, and undo
-- moves clients.inks_id back.
CREATE TABLE IF NOT EXISTS ink_sets (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  client_id BIGINT NOT NULL,
  parent_id BIGINT NULL,
  what VARCHAR(200) NOT NULL,
  body LONGTEXT NOT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  FOREIGN KEY (client_id) REFERENCES clients (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE clients ADD COLUMN IF NOT EXISTS inks_id BIGINT NULL;

-- +goose Down
ALTER TABLE clients DROP COLUMN IF EXISTS inks_id;
DROP TABLE IF EXISTS ink_sets;
