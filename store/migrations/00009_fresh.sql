-- Frames that nothing has happened to yet have no rows: a film of a million frames is sent, held, released and dropped
-- by its sequences. Batches count their frames, so that nothing is counted by looking at sequences. What is frozen
-- stands beside what changes with every frame, so that the rows that change are narrow.
-- +goose Up
CREATE TABLE frozen_batch (
    batch_id INTEGER PRIMARY KEY REFERENCES batch (id) ON DELETE CASCADE,
    plan     TEXT NOT NULL -- JSON of plan.Batch without its sequences
);
CREATE TABLE frozen_sequence (
    sequence_id INTEGER PRIMARY KEY REFERENCES sequence (id) ON DELETE CASCADE,
    spec        TEXT NOT NULL -- JSON of plan.Sequence
);
INSERT INTO frozen_batch SELECT id, plan FROM batch;
INSERT INTO frozen_sequence SELECT id, spec FROM sequence;
ALTER TABLE sequence ADD COLUMN shot TEXT NOT NULL DEFAULT '';
ALTER TABLE sequence ADD COLUMN view TEXT NOT NULL DEFAULT '';
ALTER TABLE sequence ADD COLUMN size TEXT NOT NULL DEFAULT '';
ALTER TABLE sequence ADD COLUMN frames TEXT NOT NULL DEFAULT ''; -- frame.Set
UPDATE sequence SET shot = coalesce(spec ->> '$.shot', ''), view = coalesce(spec ->> '$.view', ''),
    size = coalesce(spec ->> '$.sizeCode', ''), frames = coalesce(spec ->> '$.frames', '');
ALTER TABLE batch ADD COLUMN frame_order TEXT NOT NULL DEFAULT ''; -- plan.Order
ALTER TABLE batch ADD COLUMN sequences INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN blocked   INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN ready     INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN rendering INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN checking  INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN good      INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN lost      INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN failed    INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN held      INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN dropped   INTEGER NOT NULL DEFAULT 0;
ALTER TABLE batch ADD COLUMN seconds   REAL NOT NULL DEFAULT 0; -- sum over good frames
ALTER TABLE batch ADD COLUMN bytes     INTEGER NOT NULL DEFAULT 0;

-- The last ones of a sequence by their turns are fresh, all in one state, which its counts have, too.
ALTER TABLE sequence ADD COLUMN fresh       INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sequence ADD COLUMN fresh_state TEXT NOT NULL DEFAULT 'ready';
ALTER TABLE sequence ADD COLUMN fresh_wave  INTEGER NOT NULL DEFAULT 0; -- of the next of them
ALTER TABLE sequence ADD COLUMN forecast    REAL NOT NULL DEFAULT 0; -- seconds of one frame, as planned
UPDATE sequence SET forecast = coalesce(spec ->> '$.frameSeconds', 0);
ALTER TABLE sequence DROP COLUMN spec;
ALTER TABLE batch DROP COLUMN plan;
CREATE INDEX sequence_named ON sequence (shot, view, size, batch_id);

UPDATE batch SET (sequences, blocked, ready, rendering, checking, good, lost, failed, held, dropped, seconds, bytes) = (
    SELECT count(*), coalesce(sum(blocked), 0), coalesce(sum(ready), 0), coalesce(sum(rendering), 0),
        coalesce(sum(checking), 0), coalesce(sum(good), 0), coalesce(sum(lost), 0), coalesce(sum(failed), 0),
        coalesce(sum(held), 0), coalesce(sum(dropped), 0), coalesce(sum(seconds), 0), coalesce(sum(bytes), 0)
    FROM sequence q WHERE q.batch_id = batch.id);
CREATE INDEX batch_ready ON batch (priority DESC, id) WHERE ready > 0;
CREATE INDEX batch_blocked ON batch (id) WHERE blocked > 0;
CREATE INDEX batch_production ON batch (production COLLATE NOCASE, id);

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

-- +goose StatementBegin
CREATE TRIGGER fresh_moved BEFORE UPDATE OF fresh_state ON sequence
WHEN new.fresh_state NOT IN ('blocked', 'ready', 'held', 'dropped') BEGIN
    SELECT RAISE(ABORT, 'nothing has happened to a fresh frame yet');
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER fresh_sent BEFORE INSERT ON sequence
WHEN new.fresh_state NOT IN ('blocked', 'ready', 'held', 'dropped') BEGIN
    SELECT RAISE(ABORT, 'nothing has happened to a fresh frame yet');
END;
-- +goose StatementEnd

-- +goose Down
CREATE TABLE going_back (fresh INTEGER CHECK (fresh = 0)); -- the version before would not find fresh frames
INSERT INTO going_back SELECT fresh FROM sequence WHERE fresh > 0;
DROP TABLE going_back;
DROP TRIGGER fresh_sent;
DROP TRIGGER fresh_moved;
DROP TRIGGER sequence_counted;
DROP TRIGGER sequence_sent;
DROP INDEX sequence_named;
DROP INDEX batch_production;
DROP INDEX batch_blocked;
DROP INDEX batch_ready;
ALTER TABLE sequence DROP COLUMN forecast;
ALTER TABLE sequence DROP COLUMN fresh_wave;
ALTER TABLE sequence DROP COLUMN fresh_state;
ALTER TABLE sequence DROP COLUMN fresh;
ALTER TABLE batch DROP COLUMN bytes;
ALTER TABLE batch DROP COLUMN seconds;
ALTER TABLE batch DROP COLUMN dropped;
ALTER TABLE batch DROP COLUMN held;
ALTER TABLE batch DROP COLUMN failed;
ALTER TABLE batch DROP COLUMN lost;
ALTER TABLE batch DROP COLUMN good;
ALTER TABLE batch DROP COLUMN checking;
ALTER TABLE batch DROP COLUMN rendering;
ALTER TABLE batch DROP COLUMN ready;
ALTER TABLE batch DROP COLUMN blocked;
ALTER TABLE batch DROP COLUMN sequences;
ALTER TABLE batch DROP COLUMN frame_order;
ALTER TABLE sequence DROP COLUMN frames;
ALTER TABLE sequence DROP COLUMN size;
ALTER TABLE sequence DROP COLUMN view;
ALTER TABLE sequence DROP COLUMN shot;
ALTER TABLE sequence ADD COLUMN spec TEXT NOT NULL DEFAULT '';
ALTER TABLE batch ADD COLUMN plan TEXT NOT NULL DEFAULT '';
UPDATE sequence SET spec = (SELECT f.spec FROM frozen_sequence f WHERE f.sequence_id = sequence.id);
UPDATE batch SET plan = (SELECT f.plan FROM frozen_batch f WHERE f.batch_id = batch.id);
DROP TABLE frozen_sequence;
DROP TABLE frozen_batch;
