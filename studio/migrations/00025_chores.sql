-- +goose Up
-- What is done once a day, whichever server does it, and the day of the last time.
CREATE TABLE IF NOT EXISTS chores (
  name VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  done_on DATE NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
INSERT IGNORE INTO chores (name) VALUES ('daily');

-- +goose Down
DROP TABLE IF EXISTS chores;
