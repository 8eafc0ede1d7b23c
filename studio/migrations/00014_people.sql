-- +goose Up
-- Several studios in one installation: each has its clients, held files and
-- recipes, and no name of one is in the way of another's.
ALTER TABLE clients ADD UNIQUE KEY IF NOT EXISTS name_in_studio (studio_id, name);
ALTER TABLE clients DROP INDEX IF EXISTS name;
ALTER TABLE held ADD COLUMN IF NOT EXISTS studio_id BIGINT NOT NULL DEFAULT 1;
ALTER TABLE held ADD UNIQUE KEY IF NOT EXISTS bytes_in_studio (studio_id, sha256), ADD KEY IF NOT EXISTS held_bytes (sha256);
ALTER TABLE held DROP INDEX IF EXISTS sha256;
ALTER TABLE recipes ADD COLUMN IF NOT EXISTS studio_id BIGINT NOT NULL DEFAULT 1;
ALTER TABLE recipes ADD UNIQUE KEY IF NOT EXISTS name_in_scope (studio_id, scope, name);
ALTER TABLE recipes DROP INDEX IF EXISTS scope;

CREATE TABLE IF NOT EXISTS people (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  studio_id BIGINT NOT NULL,
  name VARCHAR(80) NOT NULL,
  mail VARCHAR(254) NOT NULL UNIQUE,
  role VARCHAR(12) CHARACTER SET ascii NOT NULL,
  pass VARCHAR(200) CHARACTER SET ascii NOT NULL,
  epoch INT NOT NULL DEFAULT 0,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  seen_at DATETIME(6) NULL,
  FOREIGN KEY (studio_id) REFERENCES studios (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What lets somebody in once: the first owner, the invited, who forgot a password.
CREATE TABLE IF NOT EXISTS passes (
  token BINARY(32) NOT NULL PRIMARY KEY,
  what VARCHAR(12) CHARACTER SET ascii NOT NULL,
  studio_id BIGINT NOT NULL,
  person_id BIGINT NULL,
  mail VARCHAR(254) NOT NULL DEFAULT '',
  role VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  who VARCHAR(80) NOT NULL DEFAULT '',
  expires_at DATETIME(6) NOT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  FOREIGN KEY (studio_id) REFERENCES studios (id),
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Wrong passwords, by account and by address, as hashes.
CREATE TABLE IF NOT EXISTS tries (
  what BINARY(32) NOT NULL PRIMARY KEY,
  count INT NOT NULL,
  until DATETIME(6) NOT NULL,
  KEY (until)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS sessions (
  token CHAR(43) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  data BLOB NOT NULL,
  expiry TIMESTAMP(6) NOT NULL,
  KEY (expiry)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS sessions, tries, passes, people;
ALTER TABLE recipes ADD UNIQUE KEY IF NOT EXISTS scope (scope, name);
ALTER TABLE recipes DROP INDEX IF EXISTS name_in_scope;
ALTER TABLE recipes DROP COLUMN IF EXISTS studio_id;
ALTER TABLE held ADD UNIQUE KEY IF NOT EXISTS sha256 (sha256);
ALTER TABLE held DROP INDEX IF EXISTS bytes_in_studio, DROP INDEX IF EXISTS held_bytes;
ALTER TABLE held DROP COLUMN IF EXISTS studio_id;
ALTER TABLE clients ADD UNIQUE KEY IF NOT EXISTS name (name);
ALTER TABLE clients ADD KEY IF NOT EXISTS studio_of_client (studio_id);
ALTER TABLE clients DROP INDEX IF EXISTS name_in_studio;
