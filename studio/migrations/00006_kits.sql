-- +goose Up
-- What a file was made from, so that a later kit may copy it.
ALTER TABLE kit_files ADD COLUMN IF NOT EXISTS input CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL, ADD KEY IF NOT EXISTS input (input);
-- The zip of a kit, once somebody asked for it.
ALTER TABLE kits ADD COLUMN IF NOT EXISTS zip BINARY(32) NULL, ADD COLUMN IF NOT EXISTS files INT NOT NULL DEFAULT 0;
UPDATE kits SET files = JSON_LENGTH(report, '$.files');
ALTER TABLE jobs ADD COLUMN IF NOT EXISTS started_at DATETIME(6) NULL;
-- How a mark stood when it was last on the table, for the desk.
ALTER TABLE marks ADD COLUMN IF NOT EXISTS seen_build CHAR(64) CHARACTER SET ascii NULL, ADD COLUMN IF NOT EXISTS seen_warn INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS seen_stop VARCHAR(300) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS seen_kind VARCHAR(8) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS seen_release VARCHAR(20) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS newest_kit BIGINT NULL;
UPDATE marks m SET newest_kit = (SELECT id FROM kits k WHERE k.mark_id = m.id ORDER BY number DESC LIMIT 1);

-- +goose Down
ALTER TABLE marks DROP COLUMN IF EXISTS seen_build, DROP COLUMN IF EXISTS seen_warn, DROP COLUMN IF EXISTS seen_stop, DROP COLUMN IF EXISTS seen_kind, DROP COLUMN IF EXISTS seen_release, DROP COLUMN IF EXISTS newest_kit;
ALTER TABLE jobs DROP COLUMN IF EXISTS started_at;
ALTER TABLE kits DROP COLUMN IF EXISTS zip, DROP COLUMN IF EXISTS files;
ALTER TABLE kit_files DROP COLUMN IF EXISTS input;
