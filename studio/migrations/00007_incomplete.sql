-- +goose Up
-- How many of the files that were wanted a kit lacks.
ALTER TABLE kits ADD COLUMN IF NOT EXISTS missing INT NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE kits DROP COLUMN IF EXISTS missing;
