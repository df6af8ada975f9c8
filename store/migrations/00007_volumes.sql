-- Finished files may lie on volumes: folders on any disk, which the server's configuration names.
-- +goose Up
CREATE TABLE volume (
    code   TEXT PRIMARY KEY COLLATE NOCASE,
    name   TEXT NOT NULL,
    folder TEXT NOT NULL, -- absolute
    mark   TEXT NOT NULL  -- what stands in the file by which the house knows the volume again
);
ALTER TABLE batch ADD COLUMN volume TEXT NOT NULL DEFAULT ''; -- that its files are written to; '' for the data folder

-- +goose Down
ALTER TABLE batch DROP COLUMN volume;
DROP TABLE volume;
