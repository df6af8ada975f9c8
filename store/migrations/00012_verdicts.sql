-- What people decide of frames that they have looked at, and pictures of others that they hold them against.
-- +goose Up
CREATE TABLE verdict (
    id           INTEGER PRIMARY KEY,
    sequence_id  INTEGER NOT NULL REFERENCES sequence (id) ON DELETE CASCADE,
    frames       TEXT NOT NULL, -- frame.Set
    kind         TEXT NOT NULL CHECK (kind IN ('approved', 'retake', 'question')),
    note         TEXT NOT NULL,
    marks        TEXT NOT NULL, -- review.Marks, '' for none
    marked       INTEGER NOT NULL, -- the frame that they are on, 0 without marks
    author       TEXT NOT NULL,
    author_key   TEXT NOT NULL,
    given_at     TEXT NOT NULL,
    taken_by     TEXT NOT NULL DEFAULT '', -- who has taken it back
    taken_at     TEXT NOT NULL DEFAULT '', -- when, '' if it stands
    answered     INTEGER NOT NULL DEFAULT 0 -- the batch that makes the frames again
);
CREATE INDEX verdict_sequence ON verdict (sequence_id);
CREATE INDEX verdict_open ON verdict (kind, sequence_id) WHERE taken_at = '' AND answered = 0;

CREATE TABLE reference (
    id         INTEGER PRIMARY KEY,
    production TEXT NOT NULL COLLATE NOCASE,
    document   TEXT NOT NULL, -- JSON of review.Reference
    author     TEXT NOT NULL,
    added_at   TEXT NOT NULL
);
CREATE INDEX reference_production ON reference (production);

-- +goose Down
DROP TABLE reference;
DROP TABLE verdict;
