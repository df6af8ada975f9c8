-- A lease is kept until nothing lies about that was written in its name, whatever has become of its frame, so that a
-- server that dies finds again what its attempts have left.
-- +goose Up
ALTER TABLE lease RENAME TO last_lease;
CREATE TABLE lease (
    id          INTEGER PRIMARY KEY AUTOINCREMENT, -- only grows
    sequence_id INTEGER NOT NULL REFERENCES sequence (id) ON DELETE CASCADE,
    number      INTEGER NOT NULL,
    tile        INTEGER NOT NULL DEFAULT 0, -- from 1; 0 for the frame itself
    node        TEXT NOT NULL
);
INSERT INTO sqlite_sequence (seq, name) SELECT last, 'lease' FROM last_lease;
INSERT INTO lease (id, sequence_id, number, node)
    SELECT lease, sequence_id, number, node FROM frame WHERE state IN ('rendering', 'checking') AND lease > 0;
INSERT INTO lease (id, sequence_id, number, tile, node)
    SELECT lease, sequence_id, number, tile, node FROM tile WHERE state IN ('rendering', 'checking') AND lease > 0;
DROP TABLE last_lease;

-- +goose Down
ALTER TABLE lease RENAME TO open_lease;
CREATE TABLE lease (
    last INTEGER NOT NULL
);
INSERT INTO lease SELECT coalesce((SELECT seq FROM sqlite_sequence WHERE 'open_lease' = name), 0);
DROP TABLE open_lease;
