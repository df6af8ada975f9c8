-- Frames may be rendered in tiles, which are steps of their own.
-- +goose Up
ALTER TABLE sequence ADD COLUMN tiles INTEGER NOT NULL DEFAULT 0; -- of each frame; 0 for whole frames

-- The tiles of frames that were begun, numbered from 1, row by row. Those of a frame are there from its first turn on.
CREATE TABLE tile (
    sequence_id INTEGER NOT NULL,
    number      INTEGER NOT NULL,
    tile        INTEGER NOT NULL,
    state       TEXT NOT NULL,
    attempts    INTEGER NOT NULL DEFAULT 0,
    node        TEXT NOT NULL DEFAULT '',
    started_at  TEXT NOT NULL DEFAULT '',
    seconds     REAL NOT NULL DEFAULT 0,
    bytes       INTEGER NOT NULL DEFAULT 0,
    sha256      TEXT NOT NULL DEFAULT '',
    reason      TEXT NOT NULL DEFAULT '',
    PRIMARY KEY (sequence_id, number, tile),
    FOREIGN KEY (sequence_id, number) REFERENCES frame (sequence_id, number) ON DELETE CASCADE
) WITHOUT ROWID;
CREATE INDEX tile_state ON tile (state, sequence_id, number, tile);

ALTER TABLE frame_log ADD COLUMN tile INTEGER NOT NULL DEFAULT 0; -- that it tells of; 0 for all of the frame

-- +goose Down
ALTER TABLE frame_log DROP COLUMN tile;
DROP TABLE tile;
ALTER TABLE sequence DROP COLUMN tiles;
