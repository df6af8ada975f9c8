-- +goose Up
-- All revisions are kept: a few whole, the others as their difference from the one before. Nothing is taken back by forgetting it: undoing
-- is a revision, too.
CREATE TABLE history (
    production_id INTEGER NOT NULL REFERENCES production (id) ON DELETE CASCADE,
    number        INTEGER NOT NULL,
    document      BLOB, -- JSON of production.Production, compressed or plain; NULL where there is a difference
    difference    BLOB, -- from the document of the revision before; see store/delta.go
    summary       TEXT NOT NULL, -- what was changed, in words
    command       TEXT NOT NULL DEFAULT '', -- name of the command of core/edit
    author        TEXT NOT NULL DEFAULT '', -- the name of who did it
    author_key    TEXT NOT NULL DEFAULT '', -- tells authors of one name apart
    concerns      INTEGER NOT NULL DEFAULT 0, -- the revision that this one undoes or does again, 0 for none
    undoes        INTEGER NOT NULL DEFAULT 0, -- 1 if it undoes that
    saved_at      TEXT NOT NULL,
    PRIMARY KEY (production_id, number)
) WITHOUT ROWID;
CREATE INDEX history_concerns ON history (production_id, concerns, number) WHERE concerns > 0;

INSERT INTO history (production_id, number, document, summary, saved_at)
    SELECT production_id, number, document, summary, saved_at FROM revision;

-- What had been undone becomes so many revisions that undo, the last one first.
INSERT INTO history (production_id, number, document, summary, concerns, undoes, saved_at)
    SELECT r.production_id, p.last + row_number() OVER (PARTITION BY r.production_id ORDER BY r.number DESC),
        (SELECT e.document FROM revision e WHERE e.production_id = r.production_id AND e.number < r.number ORDER BY e.number DESC LIMIT 1),
        'undo: ' || r.summary, r.number, 1, r.saved_at
    FROM revision r JOIN production p ON p.id = r.production_id WHERE r.number > p.head;

ALTER TABLE production ADD COLUMN document TEXT NOT NULL DEFAULT ''; -- JSON of the revision that counts, which is the last one
UPDATE production SET document = (SELECT r.document FROM revision r WHERE r.production_id = production.id AND r.number = production.head),
    head = (SELECT max(h.number) FROM history h WHERE h.production_id = production.id);
UPDATE production SET last = head;
DROP TABLE revision;

-- +goose Down
CREATE TABLE revision (
    production_id INTEGER NOT NULL REFERENCES production (id) ON DELETE CASCADE,
    number        INTEGER NOT NULL,
    document      TEXT NOT NULL,
    summary       TEXT NOT NULL,
    saved_at      TEXT NOT NULL,
    PRIMARY KEY (production_id, number)
) WITHOUT ROWID;
INSERT INTO revision SELECT p.id, p.head, p.document, h.summary, h.saved_at
    FROM production p JOIN history h ON h.production_id = p.id AND h.number = p.head;
ALTER TABLE production DROP COLUMN document;
DROP TABLE history;
