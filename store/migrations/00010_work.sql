-- Tasks need something: cores, memory, labels of nodes, licences. Sequences that need the same are of one class. Frames
-- keep what they have taken, and several renderers may be known.
-- +goose Up
CREATE TABLE class (
    id       INTEGER PRIMARY KEY,
    kind     TEXT NOT NULL, -- work.Kind
    renderer TEXT NOT NULL, -- name, '' for what the house renders with
    needs    TEXT NOT NULL, -- work.Override: what a person says of it
    UNIQUE (kind, renderer, needs)
);
INSERT INTO class VALUES (1, 'render', '', '');
ALTER TABLE sequence ADD COLUMN class_id INTEGER NOT NULL DEFAULT 1;
DROP INDEX sequence_ready;
CREATE INDEX sequence_ready ON sequence (batch_id, class_id, ordinal) WHERE ready > 0;
ALTER TABLE lease ADD COLUMN needs TEXT NOT NULL DEFAULT ''; -- work.Settings: what it takes

ALTER TABLE frame ADD COLUMN processor REAL NOT NULL DEFAULT 0; -- seconds
ALTER TABLE frame ADD COLUMN peak INTEGER NOT NULL DEFAULT 0; -- bytes of memory
ALTER TABLE tile ADD COLUMN processor REAL NOT NULL DEFAULT 0;
ALTER TABLE tile ADD COLUMN peak INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sequence ADD COLUMN processor REAL NOT NULL DEFAULT 0; -- sum over good frames
ALTER TABLE sequence ADD COLUMN peak INTEGER NOT NULL DEFAULT 0; -- the most of a good frame
-- +goose StatementBegin
CREATE TRIGGER frame_spent AFTER UPDATE OF state ON frame
WHEN new.state = 'good' AND old.state = 'checking' AND (new.processor > 0 OR new.peak > 0) BEGIN
    UPDATE sequence SET processor = processor + new.processor, peak = max(peak, new.peak) WHERE id = new.sequence_id;
END;
-- +goose StatementEnd

CREATE TABLE offered ( -- renderers that the house has
    name     TEXT PRIMARY KEY,
    document TEXT NOT NULL -- JSON of work.Offer
);

CREATE TABLE house_status ( -- one row
    paused_at TEXT NOT NULL DEFAULT '', -- since when no task is taken, '' if tasks are
    changes   INTEGER NOT NULL DEFAULT 0 -- grows with what counters do not show: priorities, needs, a pause
);
INSERT INTO house_status DEFAULT VALUES;

-- +goose Down
DROP TABLE house_status;
DROP TABLE offered;
DROP TRIGGER frame_spent;
ALTER TABLE sequence DROP COLUMN peak;
ALTER TABLE sequence DROP COLUMN processor;
ALTER TABLE tile DROP COLUMN peak;
ALTER TABLE tile DROP COLUMN processor;
ALTER TABLE frame DROP COLUMN peak;
ALTER TABLE frame DROP COLUMN processor;
ALTER TABLE lease DROP COLUMN needs;
DROP INDEX sequence_ready;
ALTER TABLE sequence DROP COLUMN class_id;
CREATE INDEX sequence_ready ON sequence (batch_id, ordinal) WHERE ready > 0;
DROP TABLE class;
