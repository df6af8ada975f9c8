-- What was handed on: frozen as it was, with where it went.
-- +goose Up
CREATE TABLE delivery (
    id         INTEGER PRIMARY KEY,
    production TEXT NOT NULL COLLATE NOCASE,
    recipe     TEXT NOT NULL COLLATE NOCASE, -- its code
    number     INTEGER NOT NULL, -- counts the deliveries of a recipe from 1 on
    document   TEXT NOT NULL, -- JSON of delivery.Delivery
    files      INTEGER NOT NULL,
    bytes      INTEGER NOT NULL,
    folder     TEXT NOT NULL,
    state      TEXT NOT NULL CHECK (state IN ('begun', 'complete')),
    author     TEXT NOT NULL,
    begun_at   TEXT NOT NULL,
    ended_at   TEXT NOT NULL DEFAULT '',
    UNIQUE (production, recipe, number)
);

-- +goose Down
DROP TABLE delivery;
