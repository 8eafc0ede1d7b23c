-- +goose Up
-- How much of its work a job has done, from 0 to 1: its steps take more or less
-- long.
ALTER TABLE jobs ADD COLUMN IF NOT EXISTS share DOUBLE NOT NULL DEFAULT 0 AFTER total;

-- +goose Down
ALTER TABLE jobs DROP COLUMN IF EXISTS share;
