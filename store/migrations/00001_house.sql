-- +goose Up
CREATE TABLE production (
    id   INTEGER PRIMARY KEY,
    code TEXT NOT NULL UNIQUE COLLATE NOCASE,
    head INTEGER NOT NULL, -- the revision that counts; later ones were undone
    last INTEGER NOT NULL  -- the highest number that a revision ever had; none is given twice
);

CREATE TABLE revision (
    production_id INTEGER NOT NULL REFERENCES production (id) ON DELETE CASCADE,
    number        INTEGER NOT NULL,
    document      TEXT NOT NULL, -- JSON of production.Production
    summary       TEXT NOT NULL, -- what was changed, in words
    saved_at      TEXT NOT NULL,
    PRIMARY KEY (production_id, number)
) WITHOUT ROWID;

CREATE TABLE preset (
    kind     TEXT NOT NULL,
    name     TEXT NOT NULL COLLATE NOCASE,
    document TEXT NOT NULL, -- JSON of preset.Preset
    saved_at TEXT NOT NULL,
    PRIMARY KEY (kind, name)
) WITHOUT ROWID;

CREATE TABLE batch (
    id         INTEGER PRIMARY KEY,
    production TEXT NOT NULL,
    name       TEXT NOT NULL,
    priority   INTEGER NOT NULL DEFAULT 0,
    sent_at    TEXT NOT NULL,
    plan       TEXT NOT NULL -- JSON of plan.Batch without its sequences; frozen
);

-- The counts are kept by a trigger, so that nothing is ever counted by scanning frames.
CREATE TABLE sequence (
    id           INTEGER PRIMARY KEY,
    batch_id     INTEGER NOT NULL REFERENCES batch (id) ON DELETE CASCADE,
    ordinal      INTEGER NOT NULL,
    spec         TEXT NOT NULL, -- JSON of plan.Sequence; frozen
    megasamples  REAL NOT NULL, -- of one frame
    modelled     REAL NOT NULL, -- bytes of one frame, as core/output expects them
    blocked      INTEGER NOT NULL DEFAULT 0,
    ready        INTEGER NOT NULL DEFAULT 0,
    rendering    INTEGER NOT NULL DEFAULT 0,
    checking     INTEGER NOT NULL DEFAULT 0,
    good         INTEGER NOT NULL DEFAULT 0,
    failed       INTEGER NOT NULL DEFAULT 0,
    held         INTEGER NOT NULL DEFAULT 0,
    dropped      INTEGER NOT NULL DEFAULT 0,
    seconds      REAL NOT NULL DEFAULT 0, -- sum over good frames
    bytes        INTEGER NOT NULL DEFAULT 0,
    UNIQUE (batch_id, ordinal)
);
CREATE INDEX sequence_ready ON sequence (batch_id, ordinal) WHERE ready > 0;

CREATE TABLE frame (
    sequence_id INTEGER NOT NULL REFERENCES sequence (id) ON DELETE CASCADE,
    number      INTEGER NOT NULL,
    state       TEXT NOT NULL,
    attempts    INTEGER NOT NULL DEFAULT 0,
    node        TEXT NOT NULL DEFAULT '',
    started_at  TEXT NOT NULL DEFAULT '',
    seconds     REAL NOT NULL DEFAULT 0,
    bytes       INTEGER NOT NULL DEFAULT 0,
    reason      TEXT NOT NULL DEFAULT '',
    PRIMARY KEY (sequence_id, number)
) WITHOUT ROWID;
CREATE INDEX frame_state ON frame (sequence_id, state, number);

-- +goose StatementBegin
CREATE TRIGGER frame_moved AFTER UPDATE OF state ON frame WHEN old.state <> new.state BEGIN
    UPDATE sequence SET
        blocked   = blocked   + (new.state = 'blocked')   - (old.state = 'blocked'),
        ready     = ready     + (new.state = 'ready')     - (old.state = 'ready'),
        rendering = rendering + (new.state = 'rendering') - (old.state = 'rendering'),
        checking  = checking  + (new.state = 'checking')  - (old.state = 'checking'),
        good      = good      + (new.state = 'good')      - (old.state = 'good'),
        failed    = failed    + (new.state = 'failed')    - (old.state = 'failed'),
        held      = held      + (new.state = 'held')      - (old.state = 'held'),
        dropped   = dropped   + (new.state = 'dropped')   - (old.state = 'dropped')
    WHERE id = new.sequence_id;
END;
-- +goose StatementEnd

-- Files of good frames, as they were when they were judged.
CREATE TABLE file (
    sequence_id INTEGER NOT NULL,
    number      INTEGER NOT NULL,
    path        TEXT NOT NULL,
    bytes       INTEGER NOT NULL,
    sha256      TEXT NOT NULL,
    PRIMARY KEY (sequence_id, number, path),
    FOREIGN KEY (sequence_id, number) REFERENCES frame (sequence_id, number) ON DELETE CASCADE
) WITHOUT ROWID;

-- Every path that was ever sent, so that none is overwritten by a later batch.
CREATE TABLE path (
    key      TEXT PRIMARY KEY,
    batch_id INTEGER NOT NULL REFERENCES batch (id) ON DELETE CASCADE
) WITHOUT ROWID;

CREATE TABLE frame_log (
    sequence_id INTEGER NOT NULL,
    number      INTEGER NOT NULL,
    attempt     INTEGER NOT NULL,
    node        TEXT NOT NULL,
    logged_at   TEXT NOT NULL,
    text        TEXT NOT NULL,
    PRIMARY KEY (sequence_id, number, attempt),
    FOREIGN KEY (sequence_id, number) REFERENCES frame (sequence_id, number) ON DELETE CASCADE
) WITHOUT ROWID;

-- +goose Down
DROP TABLE frame_log;
DROP TABLE path;
DROP TABLE file;
DROP TABLE frame;
DROP TABLE sequence;
DROP TABLE batch;
DROP TABLE preset;
DROP TABLE revision;
DROP TABLE production;
