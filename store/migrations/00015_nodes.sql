-- Nodes on other machines, as the house knows them: who has the key of one is that node.
-- +goose Up
CREATE TABLE node (
    name     TEXT PRIMARY KEY COLLATE NOCASE,
    key      TEXT NOT NULL UNIQUE, -- the public half
    made_at  TEXT NOT NULL,
    made_by  TEXT NOT NULL DEFAULT '',
    note     TEXT NOT NULL DEFAULT '',
    paused   TEXT NOT NULL DEFAULT '', -- why it takes nothing
    stopped  INTEGER NOT NULL DEFAULT 0, -- and what it has is given back
    labels   TEXT NOT NULL DEFAULT '[]', -- JSON, beside those that it has itself
    hello    TEXT NOT NULL DEFAULT '', -- JSON of what it said when it last joined
    joined_at TEXT NOT NULL DEFAULT '',
    seen_at  TEXT NOT NULL DEFAULT '',
    done     INTEGER NOT NULL DEFAULT 0, -- tasks that it has done
    failed   INTEGER NOT NULL DEFAULT 0, -- and that have failed with it
    trusted_done   INTEGER NOT NULL DEFAULT 0, -- those of both that count no more, since somebody has resumed it
    trusted_failed INTEGER NOT NULL DEFAULT 0,
    refused  INTEGER NOT NULL DEFAULT 0, -- messages and files that were not its own, or not what they were said to be
    seconds  REAL NOT NULL DEFAULT 0 -- of tasks that it has done
);

-- +goose Down
DROP TABLE node;
