-- +goose Up
-- Whose token it is: recovering the account lists what else lets in as that person.
ALTER TABLE tokens ADD COLUMN IF NOT EXISTS person_id BIGINT NULL;
ALTER TABLE tokens ADD CONSTRAINT tokens_person FOREIGN KEY IF NOT EXISTS (person_id) REFERENCES people (id) ON DELETE SET NULL;
UPDATE tokens t JOIN people p ON p.studio_id = t.studio_id AND p.name = t.who SET t.person_id = p.id WHERE t.person_id IS NULL;

-- +goose Down
ALTER TABLE tokens DROP FOREIGN KEY IF EXISTS tokens_person;
ALTER TABLE tokens DROP COLUMN IF EXISTS person_id;
