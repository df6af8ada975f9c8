-- Deliveries that the server is to go on with by itself, what kept one from being complete, and what lists show of each.
-- +goose Up
ALTER TABLE delivery ADD COLUMN wanted INTEGER NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN trouble TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN name TEXT NOT NULL DEFAULT ''; -- of the recipe
ALTER TABLE delivery ADD COLUMN form TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN products TEXT NOT NULL DEFAULT '[]'; -- JSON of the names of files that it makes

-- +goose Down
ALTER TABLE delivery DROP COLUMN wanted;
ALTER TABLE delivery DROP COLUMN trouble;
ALTER TABLE delivery DROP COLUMN name;
ALTER TABLE delivery DROP COLUMN form;
ALTER TABLE delivery DROP COLUMN products;
