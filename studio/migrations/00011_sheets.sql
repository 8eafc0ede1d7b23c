-- +goose Up
-- A candidate can be a page of a file with many: its mends, one a line. What kind
-- of file it came in and how large its page is, in page units, is shown with it.
ALTER TABLE candidates ADD COLUMN IF NOT EXISTS kind VARCHAR(20) NOT NULL DEFAULT '' AFTER page;
ALTER TABLE candidates ADD COLUMN IF NOT EXISTS width DOUBLE NOT NULL DEFAULT 0 AFTER kind;
ALTER TABLE candidates ADD COLUMN IF NOT EXISTS height DOUBLE NOT NULL DEFAULT 0 AFTER width;

-- +goose Down
ALTER TABLE candidates DROP COLUMN IF EXISTS height;
ALTER TABLE candidates DROP COLUMN IF EXISTS width;
ALTER TABLE candidates DROP COLUMN IF EXISTS kind;
