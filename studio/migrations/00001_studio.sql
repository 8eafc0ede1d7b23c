-- +goose Up
CREATE TABLE blobs (
  sha256 BINARY(32) NOT NULL PRIMARY KEY,
  size BIGINT NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE blob_chunks (
  sha256 BINARY(32) NOT NULL,
  seq INT NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (sha256, seq)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE clients (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) NOT NULL UNIQUE,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE marks (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  client_id BIGINT NOT NULL,
  name VARCHAR(120) NOT NULL,
  decisions_id BIGINT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY (client_id, name),
  FOREIGN KEY (client_id) REFERENCES clients (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- A master is kept for ever; a new upload is a new revision.
CREATE TABLE masters (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mark_id BIGINT NOT NULL,
  revision INT NOT NULL,
  filename VARCHAR(255) NOT NULL,
  sha256 BINARY(32) NOT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY (mark_id, revision),
  FOREIGN KEY (mark_id) REFERENCES marks (id),
  FOREIGN KEY (sha256) REFERENCES blobs (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Every change of mind is a new row; undo and redo move marks.decisions_id.
CREATE TABLE decisions (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mark_id BIGINT NOT NULL,
  parent_id BIGINT NULL,
  what VARCHAR(200) NOT NULL,
  body LONGTEXT NOT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  KEY (parent_id),
  FOREIGN KEY (mark_id) REFERENCES marks (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE kits (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mark_id BIGINT NOT NULL,
  number INT NOT NULL,
  name VARCHAR(120) NOT NULL,
  build CHAR(64) NOT NULL,
  recipe VARCHAR(120) NOT NULL,
  revision INT NOT NULL,
  report LONGTEXT NOT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY (mark_id, number),
  FOREIGN KEY (mark_id) REFERENCES marks (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE kit_files (
  kit_id BIGINT NOT NULL,
  seq INT NOT NULL,
  path VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  size BIGINT NOT NULL,
  sha256 BINARY(32) NOT NULL,
  PRIMARY KEY (kit_id, seq),
  UNIQUE KEY (kit_id, path),
  FOREIGN KEY (kit_id) REFERENCES kits (id),
  FOREIGN KEY (sha256) REFERENCES blobs (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE jobs (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mark_id BIGINT NOT NULL,
  state VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'waiting',
  -- The mark while the job is open, so that each mark has one open job.
  open_mark BIGINT NULL UNIQUE,
  body LONGTEXT NOT NULL,
  done INT NOT NULL DEFAULT 0,
  total INT NOT NULL DEFAULT 0,
  what VARCHAR(255) NOT NULL DEFAULT '',
  error TEXT NULL,
  cancel BOOLEAN NOT NULL DEFAULT FALSE,
  worker VARCHAR(80) NULL,
  lease_until DATETIME(6) NULL,
  attempts INT NOT NULL DEFAULT 0,
  kit_id BIGINT NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  finished_at DATETIME(6) NULL,
  KEY (state, id),
  FOREIGN KEY (mark_id) REFERENCES marks (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE jobs, kit_files, kits, decisions, masters, marks, clients, blob_chunks, blobs;
