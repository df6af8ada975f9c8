package store

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"reelhouse/core/queue"
)

// Miss says that files of a good or lost frame are not what was judged, by their paths: the frame is lost. It returns
// whether it was good before. lease is the one that had made it good when the files were looked at: a frame that
// another one has made since, or that is in another state by now, is left as it is.
func (s *Store) Miss(sequence int64, number int, lease int64, faults map[string]string) (was bool, err error) {
	err = s.change(func(tx *writing) error {
		f, err := frameIn(tx, sequence, number)
		if errors.Is(err, ErrNotFound) {
			return nil // it was not even begun
		}
		if err != nil || f.State != queue.Good && f.State != queue.Lost || f.Lease != lease {
			return err
		}
		if err := setFaults(tx, sequence, number, faults); err != nil {
			return err
		}
		reason := lostReason(faults)
		if f.State == queue.Lost {
			_, err := tx.Exec(
				"UPDATE frame SET reason = ? WHERE sequence_id = ? AND number = ?", reason, sequence, number,
			)
			return err
		}
		was = true
		if err := move(tx, sequence, number, queue.Missed, func(f *Frame) { f.Reason = reason }); err != nil {
			return err
		}
		return s.wentMissing(tx, sequence, number)
	})
	return was, err
}

// Find says that all files of a lost frame are what was judged, after all: it is good again. It returns whether it was
// lost. lease is that of Miss.
func (s *Store) Find(sequence int64, number int, lease int64) (was bool, err error) {
	err = s.change(func(tx *writing) error {
		f, err := frameIn(tx, sequence, number)
		if errors.Is(err, ErrNotFound) {
			return nil
		}
		if err != nil || f.State != queue.Lost || f.Lease != lease {
			return err
		}
		if err := setFaults(tx, sequence, number, nil); err != nil {
			return err
		}
		was = true
		if err := move(tx, sequence, number, queue.Found, func(f *Frame) { f.Reason = "" }); err != nil {
			return err
		}
		return s.cameOut(tx, sequence, number)
	})
	return was, err
}

func setFaults(tx *writing, sequence int64, number int, faults map[string]string) error {
	_, err := tx.Exec(
		"UPDATE file SET fault = '' WHERE sequence_id = ? AND number = ? AND fault <> ''", sequence, number,
	)
	for path, fault := range faults {
		if err == nil {
			_, err = tx.Exec(
				"UPDATE file SET fault = ? WHERE sequence_id = ? AND number = ? AND path = ?", fault, sequence, number,
				path,
			)
		}
	}
	return err
}

// lostReason says what is wrong with a frame's files.
func lostReason(faults map[string]string) string {
	var first string
	for path, fault := range faults {
		if text := path[strings.LastIndexByte(path, '/')+1:] + " " + fault; first == "" || text < first {
			first = text
		}
	}
	if more := len(faults) - 1; more > 0 {
		first += fmt.Sprintf("; %d more of its files are lost", more)
	}
	return first
}

// A Claim is what the record has of a path.
type Claim struct {
	SequenceID int64
	Number     int
	State      queue.State // of the frame
	SHA256     string      // of the file, when it was judged
	Batch      string      // name of the batch
}

// Claims returns which frames have a file of a path.
func (s *Store) Claims(path string) ([]Claim, error) {
	rows, err := s.read.Query(`SELECT f.sequence_id, f.number, f.state, i.sha256, b.name FROM file i
		JOIN frame f ON f.sequence_id = i.sequence_id AND f.number = i.number
		JOIN sequence q ON q.id = i.sequence_id JOIN batch b ON b.id = q.batch_id WHERE i.path = ?
			ORDER BY f.sequence_id`, path)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Claim
	for rows.Next() {
		var c Claim
		if err := rows.Scan(&c.SequenceID, &c.Number, &c.State, &c.SHA256, &c.Batch); err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, rows.Err()
}

// Changed is the fault of a file whose size is right and whose contents are not.
const Changed = "has changed: its checksum differs"

// FrameFiles are the files of a frame that was good once.
type FrameFiles struct {
	Number int
	State  queue.State // good or lost
	Lease  int64       // that made it good; 0 for one from before leases had numbers
	Files  []File
}

// Changed reports whether any of the files is known to have other contents, which only reading it can take back.
func (f FrameFiles) Changed() bool {
	for _, file := range f.Files {
		if file.Fault == Changed {
			return true
		}
	}
	return false
}

// SequenceFiles returns the files of all frames of a sequence that are good or lost, in order.
func (s *Store) SequenceFiles(sequence int64) ([]FrameFiles, error) {
	rows, err := s.read.Query(`SELECT f.number, f.state, f.lease, i.path, i.bytes, i.sha256, i.fault FROM frame f
		JOIN file i ON i.sequence_id = f.sequence_id AND i.number = f.number
		WHERE f.sequence_id = ? AND f.state IN (?, ?) ORDER BY f.number, i.path`, sequence, queue.Good, queue.Lost)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []FrameFiles
	for rows.Next() {
		var f FrameFiles
		var i File
		if err := rows.Scan(&f.Number, &f.State, &f.Lease, &i.Path, &i.Bytes, &i.SHA256, &i.Fault); err != nil {
			return nil, err
		}
		if n := len(all); n == 0 || all[n-1].Number != f.Number {
			all = append(all, f)
		}
		all[len(all)-1].Files = append(all[len(all)-1].Files, i)
	}
	return all, rows.Err()
}

// RecordedIn returns the paths of all files that are recorded right in a folder, by its path below the output folder;
// "." for that itself.
func (s *Store) RecordedIn(folder string) (map[string]bool, error) {
	from, behind := "", "\U0010FFFF"
	if folder != "." {
		from, behind = folder+"/", folder+"0" // which is the letter after the slash
	}
	rows, err := s.read.Query("SELECT path FROM file WHERE path >= ? AND path < ? AND instr(substr(path, ?), '/') = 0",
		from, behind, utf8.RuneCountInString(from)+1)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	paths := map[string]bool{}
	for rows.Next() {
		var path string
		if err := rows.Scan(&path); err != nil {
			return nil, err
		}
		paths[path] = true
	}
	return paths, rows.Err()
}
