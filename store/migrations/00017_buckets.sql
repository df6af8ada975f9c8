-- A volume may be a bucket of a store of objects. Its folder has files under way, and copies, on this machine.
-- +goose Up
ALTER TABLE volume ADD COLUMN bucket TEXT NOT NULL DEFAULT ''; -- its address; '' for a folder
ALTER TABLE volume ADD COLUMN copies INTEGER NOT NULL DEFAULT 0; -- how many bytes of copies are kept
ALTER TABLE volume ADD COLUMN sent INTEGER NOT NULL DEFAULT 0; -- nodes send its files, whatever folders they share

-- +goose Down
ALTER TABLE volume DROP COLUMN sent;
ALTER TABLE volume DROP COLUMN copies;
ALTER TABLE volume DROP COLUMN bucket;
