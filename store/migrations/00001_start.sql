-- +goose Up
CREATE TABLE projects (
    id      TEXT PRIMARY KEY,
    name    TEXT NOT NULL,
    created INTEGER NOT NULL,          -- Unix milliseconds
    changed INTEGER NOT NULL,
    version INTEGER NOT NULL,          -- grows with every edit, undo and redo
    head    INTEGER NOT NULL,          -- the revision that is shown
    binned  INTEGER,                   -- when it was put into the bin, or null
    picture BLOB                       -- PNG for the shelf, or null
);
CREATE TABLE revisions (
    project TEXT NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
    n       INTEGER NOT NULL,
    label   TEXT NOT NULL,             -- what the edit did, for undo
    made    INTEGER NOT NULL,
    doc     BLOB NOT NULL,             -- gzip of the project's JSON
    PRIMARY KEY (project, n)
);
CREATE TABLE files (
    hash TEXT PRIMARY KEY,             -- SHA-256 in hex; the bytes lie in files/HASH
    name TEXT NOT NULL,
    size INTEGER NOT NULL,
    made INTEGER NOT NULL
);

-- +goose Down
DROP TABLE files;
DROP TABLE revisions;
DROP TABLE projects;
