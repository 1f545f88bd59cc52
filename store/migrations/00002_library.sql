-- +goose Up
-- What is kept for all projects: looks to start from, and groups, as look files.
CREATE TABLE library (
  id   TEXT PRIMARY KEY,
  kind TEXT NOT NULL,
  name TEXT NOT NULL,
  made INTEGER NOT NULL,
  doc  BLOB NOT NULL
) STRICT;

-- +goose Down
DROP TABLE library;
