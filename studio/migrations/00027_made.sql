-- +goose Up
-- What may be made for a client that the kit has not, in words; and by which name the files of
-- a handover are shown in public, where its own link must not stand.
ALTER TABLE hands
  ADD COLUMN IF NOT EXISTS may VARCHAR(60) CHARACTER SET ascii NOT NULL DEFAULT 'sizes types grounds small',
  ADD COLUMN IF NOT EXISTS address BINARY(32) NULL,
  ADD UNIQUE KEY IF NOT EXISTS by_address (address);
-- Files that were made for clients besides those of a kit. Whatever goes from here is made again.
CREATE TABLE IF NOT EXISTS made (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kit_id BIGINT NOT NULL,
  name BINARY(32) NOT NULL,
  query VARCHAR(400) NOT NULL,
  path VARCHAR(200) NOT NULL,
  size BIGINT NOT NULL,
  sha256 BINARY(32) NOT NULL,
  below BOOLEAN NOT NULL DEFAULT FALSE,
  times INT NOT NULL DEFAULT 1,
  last_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  UNIQUE KEY one_of_kit (kit_id, name),
  FOREIGN KEY made_of_kit (kit_id) REFERENCES kits (id),
  FOREIGN KEY made_bytes (sha256) REFERENCES blobs (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- +goose Down
DROP TABLE IF EXISTS made;
ALTER TABLE hands DROP KEY IF EXISTS by_address, DROP COLUMN IF EXISTS address, DROP COLUMN IF EXISTS may;
