-- What is made from files stands in a batch as a sequence of its own that follows another one. Sequences may wait at a
-- gate: their first, middle and last frames come before the others. What was said is found again by its words.
-- +goose Up
ALTER TABLE sequence ADD COLUMN follows INTEGER NOT NULL DEFAULT 0; -- the sequence whose files are its inputs; 0 for none
ALTER TABLE sequence ADD COLUMN task TEXT NOT NULL DEFAULT ''; -- kind of the follow-up, '' for rendering
ALTER TABLE sequence ADD COLUMN by_frame INTEGER NOT NULL DEFAULT 0; -- 1 if it is done frame by frame
ALTER TABLE sequence ADD COLUMN start_at INTEGER NOT NULL DEFAULT 0; -- Unix time before which it does not begin
ALTER TABLE sequence ADD COLUMN after_batch INTEGER NOT NULL DEFAULT 0; -- nor before nothing of that batch is left
ALTER TABLE sequence ADD COLUMN gate INTEGER NOT NULL DEFAULT 0; -- 1 while it waits at a gate, 2 behind it
CREATE INDEX sequence_follows ON sequence (follows) WHERE follows > 0;
CREATE INDEX sequence_task ON sequence (task, batch_id) WHERE follows > 0;
CREATE INDEX sequence_waits ON sequence (start_at, after_batch) WHERE start_at > 0 OR after_batch > 0;

ALTER TABLE lease ADD COLUMN deadline INTEGER NOT NULL DEFAULT 0; -- Unix time after which it is given back; 0 for none

CREATE TABLE made_from ( -- frames of follow-ups, as they were made
    sequence_id INTEGER NOT NULL,
    number      INTEGER NOT NULL,
    inputs      TEXT NOT NULL, -- fingerprint.OfInputs
    program     TEXT NOT NULL, -- JSON of fingerprint.Renderer
    PRIMARY KEY (sequence_id, number),
    FOREIGN KEY (sequence_id, number) REFERENCES frame (sequence_id, number) ON DELETE CASCADE
) WITHOUT ROWID;

CREATE TABLE offered_follow_up ( -- kinds of follow-ups that the house has
    kind     TEXT PRIMARY KEY,
    document TEXT NOT NULL -- JSON of work.Following
);

-- Batches count the sequences that are rendered, and the tasks of follow-ups.
ALTER TABLE batch ADD COLUMN follow_ups INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN followed INTEGER NOT NULL DEFAULT 0; -- how many of these are good
ALTER TABLE batch ADD COLUMN archived_at TEXT NOT NULL DEFAULT ''; -- since when it is out of sight, '' if it is not
DROP TRIGGER sequence_sent;
-- +goose StatementBegin
CREATE TRIGGER sequence_sent AFTER INSERT ON sequence BEGIN
    UPDATE batch SET
        sequences  = sequences  + (new.follows = 0),
        follow_ups = follow_ups + (new.follows > 0) * (new.blocked + new.ready + new.held),
        blocked    = blocked    + new.blocked,
        ready      = ready      + new.ready,
        rendering  = rendering  + new.rendering,
        checking   = checking   + new.checking,
        good       = good       + new.good,
        lost       = lost       + new.lost,
        failed     = failed     + new.failed,
        held       = held       + new.held,
        dropped    = dropped    + new.dropped
    WHERE id = new.batch_id;
END;
-- +goose StatementEnd
DROP TRIGGER sequence_counted; -- the time of follow-ups says nothing of what a frame takes
-- +goose StatementBegin
CREATE TRIGGER sequence_counted
AFTER UPDATE OF blocked, ready, rendering, checking, good, lost, failed, held, dropped, seconds, bytes ON sequence BEGIN
    UPDATE batch SET
        followed  = followed  + (new.follows > 0) * (new.good - old.good),
        blocked   = blocked   + new.blocked   - old.blocked,
        ready     = ready     + new.ready     - old.ready,
        rendering = rendering + new.rendering - old.rendering,
        checking  = checking  + new.checking  - old.checking,
        good      = good      + new.good      - old.good,
        lost      = lost      + new.lost      - old.lost,
        failed    = failed    + new.failed    - old.failed,
        held      = held      + new.held      - old.held,
        dropped   = dropped   + new.dropped   - old.dropped,
        seconds   = seconds   + (new.follows = 0) * (new.seconds - old.seconds),
        bytes     = bytes     + new.bytes     - old.bytes
    WHERE id = new.batch_id;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER frame_outdone BEFORE UPDATE OF state ON frame
WHEN old.state = 'good' AND new.state NOT IN ('good', 'lost') BEGIN
    SELECT RAISE(ABORT, 'a frame that is good stays good')
    WHERE (SELECT follows FROM sequence WHERE id = new.sequence_id) = 0;
END;
-- +goose StatementEnd

ALTER TABLE frame_log RENAME TO old_log;
CREATE TABLE frame_log (
    id          INTEGER PRIMARY KEY,
    sequence_id INTEGER NOT NULL,
    number      INTEGER NOT NULL,
    attempt     INTEGER NOT NULL,
    node        TEXT NOT NULL,
    logged_at   TEXT NOT NULL,
    text        TEXT NOT NULL,
    tile        INTEGER NOT NULL DEFAULT 0, -- that it tells of; 0 for all of the frame
    UNIQUE (sequence_id, number, attempt),
    FOREIGN KEY (sequence_id, number) REFERENCES frame (sequence_id, number) ON DELETE CASCADE
);
INSERT INTO frame_log (sequence_id, number, attempt, node, logged_at, text, tile)
    SELECT sequence_id, number, attempt, node, logged_at, text, tile FROM old_log ORDER BY logged_at;
DROP TABLE old_log;
-- Its words are taken up a little later, so that nothing that is recorded waits for it.
CREATE VIRTUAL TABLE log_words USING fts5 (text, content = 'frame_log', content_rowid = 'id', tokenize = 'trigram');
ALTER TABLE house_status ADD COLUMN logs_read INTEGER NOT NULL DEFAULT 0; -- the last id of which the words are known
-- +goose StatementBegin
CREATE TRIGGER frame_log_gone AFTER DELETE ON frame_log
WHEN old.id <= (SELECT logs_read FROM house_status) BEGIN
    INSERT INTO log_words (log_words, rowid, text) VALUES ('delete', old.id, old.text);
END;
-- +goose StatementEnd

-- +goose Down
CREATE TABLE going_back (follows INTEGER CHECK (follows = 0)); -- the version before would render them
INSERT INTO going_back SELECT follows FROM sequence WHERE follows > 0;
DROP TABLE going_back;
DROP TRIGGER frame_log_gone;
ALTER TABLE house_status DROP COLUMN logs_read;
DROP TABLE log_words;
ALTER TABLE frame_log RENAME TO new_log;
CREATE TABLE frame_log (
    sequence_id INTEGER NOT NULL,
    number      INTEGER NOT NULL,
    attempt     INTEGER NOT NULL,
    node        TEXT NOT NULL,
    logged_at   TEXT NOT NULL,
    text        TEXT NOT NULL,
    tile        INTEGER NOT NULL DEFAULT 0,
    PRIMARY KEY (sequence_id, number, attempt),
    FOREIGN KEY (sequence_id, number) REFERENCES frame (sequence_id, number) ON DELETE CASCADE
) WITHOUT ROWID;
INSERT INTO frame_log SELECT sequence_id, number, attempt, node, logged_at, text, tile FROM new_log;
DROP TABLE new_log;
DROP TRIGGER frame_outdone;
DROP TRIGGER sequence_counted;
-- +goose StatementBegin
CREATE TRIGGER sequence_counted
AFTER UPDATE OF blocked, ready, rendering, checking, good, lost, failed, held, dropped, seconds, bytes ON sequence BEGIN
    UPDATE batch SET
        blocked   = blocked   + new.blocked   - old.blocked,
        ready     = ready     + new.ready     - old.ready,
        rendering = rendering + new.rendering - old.rendering,
        checking  = checking  + new.checking  - old.checking,
        good      = good      + new.good      - old.good,
        lost      = lost      + new.lost      - old.lost,
        failed    = failed    + new.failed    - old.failed,
        held      = held      + new.held      - old.held,
        dropped   = dropped   + new.dropped   - old.dropped,
        seconds   = seconds   + new.seconds   - old.seconds,
        bytes     = bytes     + new.bytes     - old.bytes
    WHERE id = new.batch_id;
END;
-- +goose StatementEnd
DROP TRIGGER sequence_sent;
-- +goose StatementBegin
CREATE TRIGGER sequence_sent AFTER INSERT ON sequence BEGIN
    UPDATE batch SET
        sequences = sequences + 1,
        blocked   = blocked   + new.blocked,
        ready     = ready     + new.ready,
        rendering = rendering + new.rendering,
        checking  = checking  + new.checking,
        good      = good      + new.good,
        lost      = lost      + new.lost,
        failed    = failed    + new.failed,
        held      = held      + new.held,
        dropped   = dropped   + new.dropped
    WHERE id = new.batch_id;
END;
-- +goose StatementEnd
ALTER TABLE batch DROP COLUMN archived_at;
ALTER TABLE batch DROP COLUMN followed;
ALTER TABLE batch DROP COLUMN follow_ups;
DROP TABLE offered_follow_up;
DROP TABLE made_from;
ALTER TABLE lease DROP COLUMN deadline;
DROP INDEX sequence_waits;
DROP INDEX sequence_task;
DROP INDEX sequence_follows;
ALTER TABLE sequence DROP COLUMN gate;
ALTER TABLE sequence DROP COLUMN after_batch;
ALTER TABLE sequence DROP COLUMN start_at;
ALTER TABLE sequence DROP COLUMN by_frame;
ALTER TABLE sequence DROP COLUMN task;
ALTER TABLE sequence DROP COLUMN follows;
