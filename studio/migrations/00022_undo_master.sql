-- +goose Up
-- A new master is a decision as any other: undone, the one before is in force again.
-- Masters that came so are marked; of the others the newest is in force where a
-- decision names none.
ALTER TABLE decisions ADD COLUMN IF NOT EXISTS master_id BIGINT NULL;
ALTER TABLE masters ADD COLUMN IF NOT EXISTS decided BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE decisions DROP COLUMN IF EXISTS master_id;
ALTER TABLE masters DROP COLUMN IF EXISTS decided;
