-- +goose Up
-- Mail that is to be sent. Once it is, what it said is forgotten: it holds links.
CREATE TABLE IF NOT EXISTS mails (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  studio_id BIGINT NOT NULL,
  hand_id BIGINT NULL,
  recipient VARCHAR(254) NOT NULL,
  reply_to VARCHAR(254) NOT NULL DEFAULT '',
  subject VARCHAR(300) NOT NULL,
  body TEXT NOT NULL,
  kit_id BIGINT NULL,
  state VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'waiting',
  tries INT NOT NULL DEFAULT 0,
  next_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  error VARCHAR(300) NOT NULL DEFAULT '',
  who VARCHAR(80) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  ended_at DATETIME(6) NULL,
  KEY (state, next_at),
  FOREIGN KEY (studio_id) REFERENCES studios (id),
  FOREIGN KEY (hand_id) REFERENCES hands (id),
  FOREIGN KEY (kit_id) REFERENCES kits (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- Where questions of clients go to.
ALTER TABLE studios ADD COLUMN IF NOT EXISTS mail VARCHAR(254) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE studios DROP COLUMN IF EXISTS mail;
DROP TABLE IF EXISTS mails;
