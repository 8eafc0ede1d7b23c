-- +goose Up
-- What clients typed into the page of a mark's kits, and what of it nobody understood. Nobody's
-- name is with it, and no link.
CREATE TABLE IF NOT EXISTS asked (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mark_id BIGINT NOT NULL,
  said VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  language VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'en',
  missed VARCHAR(200) NOT NULL DEFAULT '',
  times INT NOT NULL DEFAULT 1,
  last_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY one_of_mark (mark_id, said, language),
  FOREIGN KEY asked_of_mark (mark_id) REFERENCES marks (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS asked;
