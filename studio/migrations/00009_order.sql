-- +goose Up
-- A hash is 32 bytes wherever it stands. What has 64 is not turned yet.
ALTER TABLE kits MODIFY build VARBINARY(64) NOT NULL;
UPDATE kits SET build = UNHEX(build) WHERE LENGTH(build) = 64;
ALTER TABLE kits MODIFY build BINARY(32) NOT NULL;
ALTER TABLE kit_files MODIFY input VARBINARY(64) NULL;
UPDATE kit_files SET input = UNHEX(input) WHERE LENGTH(input) = 64;
ALTER TABLE kit_files MODIFY input BINARY(32) NULL;
ALTER TABLE marks MODIFY seen_build VARBINARY(64) NULL;
UPDATE marks SET seen_build = UNHEX(seen_build) WHERE LENGTH(seen_build) = 64;
ALTER TABLE marks MODIFY seen_build BINARY(32) NULL;

-- A master is drawn in shapes or is a picture, of whatever kind its file is.
UPDATE marks SET seen_kind = IF(seen_kind = 'svg', 'vector', 'pixels') WHERE seen_kind NOT IN ('', 'vector', 'pixels');

-- The weight of a kit without its report; marks that were put away; when bytes
-- were last handed in.
ALTER TABLE kits ADD COLUMN IF NOT EXISTS bytes BIGINT NOT NULL DEFAULT 0;
UPDATE kits SET bytes = COALESCE((SELECT SUM(x.b) FROM JSON_TABLE(kits.report, '$.files[*]' COLUMNS (b BIGINT PATH '$.bytes')) x), 0) WHERE bytes = 0;
ALTER TABLE marks ADD COLUMN IF NOT EXISTS away_at DATETIME(6) NULL;
ALTER TABLE blobs ADD COLUMN IF NOT EXISTS kept_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6);

-- What names a row names one that is there.
ALTER TABLE blob_chunks ADD FOREIGN KEY IF NOT EXISTS chunks_of_blob (sha256) REFERENCES blobs (sha256) ON DELETE CASCADE;
ALTER TABLE kits ADD FOREIGN KEY IF NOT EXISTS zip_of_kit (zip) REFERENCES blobs (sha256);
ALTER TABLE held ADD FOREIGN KEY IF NOT EXISTS bytes_held (sha256) REFERENCES blobs (sha256);
ALTER TABLE decisions ADD FOREIGN KEY IF NOT EXISTS decision_before (parent_id) REFERENCES decisions (id);
ALTER TABLE ink_sets ADD FOREIGN KEY IF NOT EXISTS inks_before (parent_id) REFERENCES ink_sets (id);
ALTER TABLE marks ADD FOREIGN KEY IF NOT EXISTS decision_of_mark (decisions_id) REFERENCES decisions (id);
ALTER TABLE marks ADD FOREIGN KEY IF NOT EXISTS newest_of_mark (newest_kit) REFERENCES kits (id);
ALTER TABLE clients ADD FOREIGN KEY IF NOT EXISTS inks_of_client (inks_id) REFERENCES ink_sets (id);
ALTER TABLE jobs ADD FOREIGN KEY IF NOT EXISTS kit_of_job (kit_id) REFERENCES kits (id);
ALTER TABLE jobs ADD FOREIGN KEY IF NOT EXISTS open_mark_of_job (open_mark) REFERENCES marks (id);

-- +goose Down
ALTER TABLE jobs DROP FOREIGN KEY IF EXISTS open_mark_of_job, DROP FOREIGN KEY IF EXISTS kit_of_job;
ALTER TABLE clients DROP FOREIGN KEY IF EXISTS inks_of_client;
ALTER TABLE marks DROP FOREIGN KEY IF EXISTS newest_of_mark, DROP FOREIGN KEY IF EXISTS decision_of_mark, DROP COLUMN IF EXISTS away_at, MODIFY seen_build VARBINARY(64) NULL;
ALTER TABLE ink_sets DROP FOREIGN KEY IF EXISTS inks_before;
ALTER TABLE decisions DROP FOREIGN KEY IF EXISTS decision_before;
ALTER TABLE held DROP FOREIGN KEY IF EXISTS bytes_held;
ALTER TABLE kits DROP FOREIGN KEY IF EXISTS zip_of_kit, DROP COLUMN IF EXISTS bytes, MODIFY build VARBINARY(64) NOT NULL;
ALTER TABLE kit_files MODIFY input VARBINARY(64) NULL;
ALTER TABLE blob_chunks DROP FOREIGN KEY IF EXISTS chunks_of_blob;
ALTER TABLE blobs DROP COLUMN IF EXISTS kept_at;
UPDATE kits SET build = LOWER(HEX(build)) WHERE LENGTH(build) = 32;
UPDATE kit_files SET input = LOWER(HEX(input)) WHERE LENGTH(input) = 32;
UPDATE marks SET seen_build = LOWER(HEX(seen_build)), seen_kind = IF(seen_kind = 'vector', 'svg', 'png') WHERE LENGTH(seen_build) = 32;
