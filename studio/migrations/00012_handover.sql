-- +goose Up
-- The page by which a client takes a kit; kits of earlier releases have none.
ALTER TABLE kits ADD COLUMN IF NOT EXISTS page BINARY(32) NULL;
ALTER TABLE kits ADD FOREIGN KEY IF NOT EXISTS page_of_kit (page) REFERENCES blobs (sha256);

-- Who prepares kits here, as clients see them.
CREATE TABLE IF NOT EXISTS studios (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) NOT NULL DEFAULT '',
  greeting VARCHAR(1000) NOT NULL DEFAULT '',
  portrait BINARY(32) NULL,
  portrait_media VARCHAR(40) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  FOREIGN KEY (portrait) REFERENCES blobs (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
INSERT INTO studios (id) SELECT 1 FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM studios);

ALTER TABLE clients ADD COLUMN IF NOT EXISTS studio_id BIGINT NOT NULL DEFAULT 1;
ALTER TABLE clients ADD FOREIGN KEY IF NOT EXISTS studio_of_client (studio_id) REFERENCES studios (id);

-- A kit in the hands of one recipient, behind a link of which only the hash is
-- known here.
CREATE TABLE IF NOT EXISTS hands (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kit_id BIGINT NOT NULL,
  token BINARY(32) NOT NULL UNIQUE,
  recipient VARCHAR(120) NOT NULL,
  mail VARCHAR(254) NOT NULL DEFAULT '',
  language VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  greeting VARCHAR(1000) NOT NULL DEFAULT '',
  hide_uses VARCHAR(400) CHARACTER SET ascii NOT NULL DEFAULT '',
  hide_types VARCHAR(200) CHARACTER SET ascii NOT NULL DEFAULT '',
  leads BOOLEAN NOT NULL DEFAULT TRUE,
  pass VARCHAR(200) CHARACTER SET ascii NOT NULL DEFAULT '',
  tries INT NOT NULL DEFAULT 0,
  wait_until DATETIME(6) NULL,
  closes_at DATETIME(6) NULL,
  withdrawn_at DATETIME(6) NULL,
  received_at DATETIME(6) NULL,
  who VARCHAR(80) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  FOREIGN KEY (kit_id) REFERENCES kits (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What was opened and taken, by the hour: nothing that follows a person.
CREATE TABLE IF NOT EXISTS hand_log (
  hand_id BIGINT NOT NULL,
  hour DATETIME NOT NULL,
  what VARCHAR(12) CHARACTER SET ascii NOT NULL,
  path VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  times INT NOT NULL DEFAULT 1,
  PRIMARY KEY (hand_id, hour, what, path),
  FOREIGN KEY (hand_id) REFERENCES hands (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS questions (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  hand_id BIGINT NOT NULL,
  body TEXT NOT NULL,
  answer TEXT NULL,
  who VARCHAR(80) NOT NULL DEFAULT '',
  answered_at DATETIME(6) NULL,
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  FOREIGN KEY (hand_id) REFERENCES hands (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
ALTER TABLE clients DROP FOREIGN KEY IF EXISTS studio_of_client, DROP COLUMN IF EXISTS studio_id;
DROP TABLE IF EXISTS questions, hand_log, hands, studios;
ALTER TABLE kits DROP FOREIGN KEY IF EXISTS page_of_kit, DROP COLUMN IF EXISTS page;
