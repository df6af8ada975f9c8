-- What a node last said of its machine: JSON, '' for nothing.
-- +goose Up
ALTER TABLE node ADD COLUMN state TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE node DROP COLUMN state;
