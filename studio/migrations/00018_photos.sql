-- +goose Up
-- Photographs that a mark is laid on, in batches. A marked copy is there as a whole
-- or not at all.
CREATE TABLE IF NOT EXISTS batches (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mark_id BIGINT NOT NULL,
  -- How the mark is laid, as JSON.
  setting TEXT NOT NULL,
  -- The job that marks them, once it was ordered.
  job_id BIGINT NULL,
  who VARCHAR(80) NOT NULL DEFAULT '',
  made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  KEY (mark_id, id),
  FOREIGN KEY (mark_id) REFERENCES marks (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
CREATE TABLE IF NOT EXISTS photos (
  batch_id BIGINT NOT NULL,
  seq INT NOT NULL,
  name VARCHAR(255) NOT NULL,
  sha256 BINARY(32) NOT NULL,
  size BIGINT NOT NULL,
  width INT NOT NULL,
  height INT NOT NULL,
  -- Of the marked copy.
  marked BINARY(32) NULL,
  marked_size BIGINT NULL,
  said TEXT NULL,
  -- Why there is none.
  error VARCHAR(300) NULL,
  PRIMARY KEY (batch_id, seq),
  FOREIGN KEY (batch_id) REFERENCES batches (id),
  FOREIGN KEY (sha256) REFERENCES blobs (sha256),
  FOREIGN KEY (marked) REFERENCES blobs (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
-- A job makes a kit, or marks the photographs of a batch.
ALTER TABLE jobs ADD COLUMN IF NOT EXISTS batch_id BIGINT NULL;

-- +goose Down
DELETE FROM jobs WHERE batch_id IS NOT NULL;
ALTER TABLE jobs DROP COLUMN IF EXISTS batch_id;
DROP TABLE IF EXISTS photos, batches;
