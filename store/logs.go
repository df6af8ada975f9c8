package store

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"reelhouse/core/queue"
)

// What was said is found by its words: any three letters of a row. They are taken up a little after a log was kept, so
// that nothing that is recorded waits for it.

// logsAtOnce is of how many logs the words are taken up in one change, and bytesAtOnce of how much text.
const (
	logsAtOnce  = 200
	bytesAtOnce = 4 << 20
)

// ReadLogs takes up the words of logs that are new, some of them, and reports whether there are more.
func (s *Store) ReadLogs() (more bool, err error) {
	var last, read int64
	err = s.read.QueryRow("SELECT coalesce((SELECT max(id) FROM frame_log), 0), (SELECT logs_read FROM house_status)").
		Scan(&last, &read)
	if err != nil || last <= read {
		return false, err
	}
	err = s.change(func(tx *writing) error {
		if err := tx.QueryRow("SELECT logs_read FROM house_status").Scan(&read); err != nil {
			return err
		}
		upTo := read
		if err := tx.QueryRow(`SELECT coalesce(max(id), ?1) FROM (SELECT id, sum(length(text)) OVER (ORDER BY id) AS
				bytes, row_number() OVER (ORDER BY id) AS place FROM (SELECT id, text FROM frame_log WHERE id > ?1
				ORDER BY id LIMIT ?2)) WHERE bytes <= ?3
				OR place = 1`, read, logsAtOnce, bytesAtOnce).Scan(&upTo); err != nil {
			return err
		}
		if _, err := tx.Exec("INSERT INTO log_words (rowid, text) SELECT id, text FROM frame_log WHERE id > ? AND id "+
			"<= ?",
			read, upTo); err != nil {
			return err
		}
		more = upTo < last
		_, err := tx.Exec("UPDATE house_status SET logs_read = ?", upTo)
		return err
	})
	return more, err
}

// A LogLine is a line of a log in which words were found.
type LogLine struct {
	Task     queue.Address // of the frame, or the tile
	Sequence int64
	Number   int
	Attempt  int
	Line     int // from 1
	Text     string
}

// Bounds of what a search gives.
const (
	mostLogs     = 300
	linesOfOne   = 3
	fewestLetter = 3 // that an index of three letters finds
)

// SearchLogs returns lines of a batch's logs that have a text in them, in letters of any case, the newest logs first;
// further says how many more logs have it, at least. Of each log there are the first few lines. Logs of which the words
// were not taken up yet are looked through, too.
func (s *Store) SearchLogs(batch int64, text string) (found []LogLine, further int, err error) {
	if text = strings.TrimSpace(text); text == "" {
		return nil, 0, nil
	}
	for more := true; more; {
		if more, err = s.ReadLogs(); err != nil {
			return nil, 0, err
		}
	}
	query := `SELECT l.sequence_id, l.number, l.attempt, l.tile, l.text FROM frame_log l
		JOIN sequence q ON q.id = l.sequence_id WHERE q.batch_id = ?1 AND instr(lower(l.text), lower(?2)) > 0
		ORDER BY l.id DESC LIMIT ?3`
	words := text
	if utf8.RuneCountInString(text) >= fewestLetter {
		query = `SELECT l.sequence_id, l.number, l.attempt, l.tile, l.text FROM log_words w
			JOIN frame_log l ON l.id = w.rowid JOIN sequence q ON q.id = l.sequence_id
			WHERE q.batch_id = ?1 AND log_words MATCH ?2 ORDER BY w.rowid DESC LIMIT ?3`
		words = `"` + strings.ReplaceAll(text, `"`, `""`) + `"`
	}
	rows, err := s.read.Query(query, batch, words, 2*mostLogs)
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	logs := 0
	addresses := map[int64]Sequence{}
	type log struct {
		sequence              int64
		number, attempt, tile int
		text                  string
	}
	var all []log
	for rows.Next() {
		var l log
		if err := rows.Scan(&l.sequence, &l.number, &l.attempt, &l.tile, &l.text); err != nil {
			return nil, 0, err
		}
		if logs++; logs > mostLogs {
			further++
			continue
		}
		all = append(all, l)
	}
	if err := rows.Err(); err != nil {
		return nil, 0, err
	}
	rows.Close()
	for _, l := range all {
		q, known := addresses[l.sequence]
		if !known {
			if q, err = s.Sequence(l.sequence); err != nil {
				return nil, 0, err
			}
			addresses[l.sequence] = q
		}
		n := 0
		for i, line := range strings.Split(l.text, "\n") {
			if n < linesOfOne && strings.Contains(strings.ToLower(line), strings.ToLower(text)) {
				found = append(found, LogLine{q.Task(l.number, l.tile), l.sequence, l.number, l.attempt, i + 1, line})
				n++
			}
		}
	}
	return found, further, nil
}

// Log returns what was said during one attempt at a frame; 0 stands for the last one.
func (s *Store) Log(sequence int64, number, attempt int) (Log, error) {
	all, err := s.Logs(sequence, number)
	if err != nil {
		return Log{}, err
	}
	for _, l := range all { // the last one first
		if attempt == 0 || l.Attempt == attempt {
			return l, nil
		}
	}
	return Log{}, fmt.Errorf("attempt %d at frame %d of sequence %d: %w", attempt, number, sequence, ErrNotFound)
}
