-- +goose Up
-- The ids that were given in the whole history of a project, as JSON: an undo does
-- not take them back. Null until the history has been looked through.
ALTER TABLE projects ADD COLUMN given TEXT;

-- +goose Down
ALTER TABLE projects DROP COLUMN given;
