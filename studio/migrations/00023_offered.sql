-- +goose Up
-- Masters that were handed in and lack something still, their font or their password,
-- so that nobody has to choose the file again. They go after a day.
CREATE TABLE IF NOT EXISTS offered (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  studio_id BIGINT NOT NULL,
  token BINARY(32) NOT NULL,
  filename VARCHAR(200) NOT NULL,
  sha256 BINARY(32) NOT NULL,
  offered_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY token (token),
  KEY offered_at (offered_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE IF EXISTS offered;
