-- +goose Up
-- What a file was made from, so that a later kit may copy it.
ALTER TABLE kit_files ADD COLUMN input CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL, ADD KEY (input);
-- The zip of a kit, once somebody asked for it.
ALTER TABLE kits ADD COLUMN zip BINARY(32) NULL, ADD COLUMN files INT NOT NULL DEFAULT 0;
UPDATE kits SET files = JSON_LENGTH(report, '$.files');
ALTER TABLE jobs ADD COLUMN started_at DATETIME(6) NULL;
-- How a mark stood when it was last on the table, for the desk.
ALTER TABLE marks ADD COLUMN seen_build CHAR(64) CHARACTER SET ascii NULL, ADD COLUMN seen_warn INT NOT NULL DEFAULT 0,
  ADD COLUMN seen_stop VARCHAR(300) NOT NULL DEFAULT '', ADD COLUMN seen_kind VARCHAR(8) NOT NULL DEFAULT '',
  ADD COLUMN seen_release VARCHAR(20) NOT NULL DEFAULT '', ADD COLUMN newest_kit BIGINT NULL;
UPDATE marks m SET newest_kit = (SELECT id FROM kits k WHERE k.mark_id = m.id ORDER BY number DESC LIMIT 1);

-- +goose Down
ALTER TABLE marks DROP COLUMN seen_build, DROP COLUMN seen_warn, DROP COLUMN seen_stop, DROP COLUMN seen_kind, DROP COLUMN seen_release, DROP COLUMN newest_kit;
ALTER TABLE jobs DROP COLUMN started_at;
ALTER TABLE kits DROP COLUMN zip, DROP COLUMN files;
ALTER TABLE kit_files DROP COLUMN input;
