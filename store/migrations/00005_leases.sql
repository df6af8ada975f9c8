-- Who may make a frame good, and with what. A lease has a number that only grows; a frame becomes good in the hands of the lease
-- that has it, when all of its files are there with their sums. Frames may be lost, files are found by their paths, sequences have
-- fingerprints, and a batch knows how its attempts have ended.
-- +goose Up
CREATE TABLE lease (
    last INTEGER NOT NULL -- the number that was given last
);
INSERT INTO lease VALUES (0);

ALTER TABLE frame ADD COLUMN lease INTEGER NOT NULL DEFAULT 0; -- that has it, or made it good; 0 for none, or from before
ALTER TABLE tile ADD COLUMN lease INTEGER NOT NULL DEFAULT 0;
ALTER TABLE file ADD COLUMN lease INTEGER NOT NULL DEFAULT 0; -- under which it was judged last
ALTER TABLE file ADD COLUMN fault TEXT NOT NULL DEFAULT ''; -- what is wrong with it now, '' for nothing that is known
CREATE INDEX file_path ON file (path);

ALTER TABLE sequence ADD COLUMN lost INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sequence ADD COLUMN promised INTEGER NOT NULL DEFAULT 0; -- files of each frame
ALTER TABLE sequence ADD COLUMN fingerprint TEXT NOT NULL DEFAULT ''; -- '' for not known: sent before there were any
ALTER TABLE sequence ADD COLUMN renderer TEXT NOT NULL DEFAULT ''; -- JSON of the fingerprint.Renderer that it was taken with
UPDATE sequence SET promised = json_array_length(spec, '$.files');

ALTER TABLE batch ADD COLUMN alike TEXT NOT NULL DEFAULT ''; -- how the last attempts have ended
ALTER TABLE batch ADD COLUMN in_a_row INTEGER NOT NULL DEFAULT 0; -- that ended so
ALTER TABLE batch ADD COLUMN trouble TEXT NOT NULL DEFAULT ''; -- for which its frames were held, '' for none

CREATE TABLE renderer (
    document TEXT NOT NULL -- JSON of the fingerprint.Renderer that this house renders with; no row before it first did
);

DROP TRIGGER frame_moved;
-- +goose StatementBegin
CREATE TRIGGER frame_moved AFTER UPDATE OF state ON frame WHEN old.state <> new.state BEGIN
    UPDATE sequence SET
        blocked   = blocked   + (new.state = 'blocked')   - (old.state = 'blocked'),
        ready     = ready     + (new.state = 'ready')     - (old.state = 'ready'),
        rendering = rendering + (new.state = 'rendering') - (old.state = 'rendering'),
        checking  = checking  + (new.state = 'checking')  - (old.state = 'checking'),
        good      = good      + (new.state = 'good')      - (old.state = 'good'),
        lost      = lost      + (new.state = 'lost')      - (old.state = 'lost'),
        failed    = failed    + (new.state = 'failed')    - (old.state = 'failed'),
        held      = held      + (new.state = 'held')      - (old.state = 'held'),
        dropped   = dropped   + (new.state = 'dropped')   - (old.state = 'dropped'),
        seconds   = seconds   + (new.state = 'good') * new.seconds - (old.state = 'good') * old.seconds,
        bytes     = bytes     + (new.state = 'good') * new.bytes   - (old.state = 'good') * old.bytes
    WHERE id = new.sequence_id;
END;
-- +goose StatementEnd

-- Good means good, whoever writes to this file.
-- +goose StatementBegin
CREATE TRIGGER frame_good BEFORE UPDATE OF state ON frame WHEN new.state = 'good' AND old.state <> 'good' BEGIN
    SELECT RAISE(ABORT, 'a frame becomes good in the hands of its lease, or when it is found')
    WHERE NOT (old.state = 'checking' AND new.lease > 0 AND new.lease = old.lease OR old.state = 'lost' AND new.lease = old.lease);
    SELECT RAISE(ABORT, 'a frame is good with all of its files')
    WHERE (SELECT promised FROM sequence WHERE id = new.sequence_id) <> (
        SELECT count(*) FROM file f WHERE f.sequence_id = new.sequence_id AND f.number = new.number AND f.lease = new.lease
        AND f.fault = '' AND f.bytes > 0 AND length(f.sha256) = 64 AND f.sha256 NOT GLOB '*[^0-9a-f]*')
        OR (SELECT promised FROM sequence WHERE id = new.sequence_id) < 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER frame_born_good BEFORE INSERT ON frame WHEN new.state IN ('good', 'lost') BEGIN
    SELECT RAISE(ABORT, 'no frame is good before it was rendered');
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER frame_lost BEFORE UPDATE OF state ON frame WHEN new.state = 'lost' AND old.state NOT IN ('good', 'lost') BEGIN
    SELECT RAISE(ABORT, 'only a good frame can be lost');
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER file_kept BEFORE DELETE ON file
WHEN (SELECT state FROM frame WHERE sequence_id = old.sequence_id AND number = old.number) = 'good' BEGIN
    SELECT RAISE(ABORT, 'the files of a good frame stay recorded');
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tile_good BEFORE UPDATE OF state ON tile WHEN new.state = 'good' AND old.state <> 'good' BEGIN
    SELECT RAISE(ABORT, 'a tile becomes good in the hands of its lease, with its file')
    WHERE NOT (old.state = 'checking' AND new.lease > 0 AND new.lease = old.lease AND new.bytes > 0 AND length(new.sha256) = 64);
END;
-- +goose StatementEnd

-- +goose Down
DROP TRIGGER tile_good;
DROP TRIGGER file_kept;
DROP TRIGGER frame_lost;
DROP TRIGGER frame_born_good;
DROP TRIGGER frame_good;
DROP TRIGGER frame_moved;
UPDATE frame SET state = 'failed', reason = 'a file of it is gone or has changed' WHERE state = 'lost';
UPDATE sequence SET failed = failed + lost;
DROP INDEX file_path;
DROP TABLE renderer;
ALTER TABLE batch DROP COLUMN trouble;
ALTER TABLE batch DROP COLUMN in_a_row;
ALTER TABLE batch DROP COLUMN alike;
ALTER TABLE sequence DROP COLUMN renderer;
ALTER TABLE sequence DROP COLUMN fingerprint;
ALTER TABLE sequence DROP COLUMN promised;
ALTER TABLE sequence DROP COLUMN lost;
ALTER TABLE file DROP COLUMN fault;
ALTER TABLE file DROP COLUMN lease;
ALTER TABLE tile DROP COLUMN lease;
ALTER TABLE frame DROP COLUMN lease;
DROP TABLE lease;
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
