-- +goose Up
CREATE TABLE IF NOT EXISTS passkeys (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  person_id BIGINT NOT NULL,
  credential VARBINARY(1023) NOT NULL,
  fingerprint BINARY(32) NOT NULL UNIQUE,
  name VARCHAR(80) NOT NULL,
  body TEXT NOT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  used_at DATETIME(6) NULL,
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- By which a passkey names its person: nothing else tells who that is.
ALTER TABLE people ADD COLUMN IF NOT EXISTS handle BINARY(32) NULL UNIQUE;

-- +goose Down
ALTER TABLE people DROP COLUMN IF EXISTS handle;
DROP TABLE IF EXISTS passkeys;
