-- +goose Up
-- Keys of the installation, by what they are for: all servers on this database have the same.
CREATE TABLE IF NOT EXISTS secrets (
  name VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  value BINARY(32) NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS secrets;
