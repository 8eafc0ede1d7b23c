-- +goose Up
-- Files that ended the process that looked at them first. They are kept as
-- bytes and never opened again.
CREATE TABLE IF NOT EXISTS held (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  client VARCHAR(120) NOT NULL,
  filename VARCHAR(200) NOT NULL,
  sha256 BINARY(32) NOT NULL,
  size BIGINT NOT NULL,
  why VARCHAR(300) NOT NULL,
  held_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE IF EXISTS held;
