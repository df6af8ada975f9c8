-- A batch has a note and a time or a batch that it waits for; frames have a turn of their own; a path may be sent again for other frames.
-- +goose Up
ALTER TABLE batch ADD COLUMN note TEXT NOT NULL DEFAULT '';
ALTER TABLE batch ADD COLUMN in_waves INTEGER NOT NULL DEFAULT 0; -- whether frames have waves
ALTER TABLE batch ADD COLUMN start_at INTEGER NOT NULL DEFAULT 0; -- Unix seconds; 0 for at once
ALTER TABLE batch ADD COLUMN after_batch INTEGER NOT NULL DEFAULT 0; -- 0 for none
ALTER TABLE batch ADD COLUMN after_sequence INTEGER NOT NULL DEFAULT 0; -- 0 for none
ALTER TABLE frame ADD COLUMN wave INTEGER NOT NULL DEFAULT 0;
ALTER TABLE frame ADD COLUMN turn INTEGER NOT NULL DEFAULT 0;
DROP INDEX frame_state;
CREATE INDEX frame_state ON frame (sequence_id, state, wave, turn, number);

CREATE TABLE sent_path (
    key         TEXT NOT NULL,
    sequence_id INTEGER NOT NULL REFERENCES sequence (id) ON DELETE CASCADE,
    PRIMARY KEY (key, sequence_id)
) WITHOUT ROWID;
INSERT OR IGNORE INTO sent_path SELECT lower(f.value ->> '$.path'), q.id FROM sequence q, json_each(q.spec, '$.files') f;
DROP TABLE path;

-- +goose Down
CREATE TABLE path (
    key      TEXT PRIMARY KEY,
    batch_id INTEGER NOT NULL REFERENCES batch (id) ON DELETE CASCADE
) WITHOUT ROWID;
INSERT OR IGNORE INTO path SELECT p.key, q.batch_id FROM sent_path p JOIN sequence q ON q.id = p.sequence_id;
DROP TABLE sent_path;
DROP INDEX frame_state;
ALTER TABLE frame DROP COLUMN turn;
ALTER TABLE frame DROP COLUMN wave;
CREATE INDEX frame_state ON frame (sequence_id, state, number);
ALTER TABLE batch DROP COLUMN after_sequence;
ALTER TABLE batch DROP COLUMN after_batch;
ALTER TABLE batch DROP COLUMN start_at;
ALTER TABLE batch DROP COLUMN in_waves;
ALTER TABLE batch DROP COLUMN note;
