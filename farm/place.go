package farm

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
)

// A placing notes which files are about to get their names, so that a node that dies before the record has
// them can take them back: a frame rendered again need not give the same bytes, since a stamp may show how
// long it took.
type placing struct {
	SequenceID int64        `json:"sequence"`
	Number     int          `json:"frame"`
	Files      []store.File `json:"files"`
}

// placingPath returns where the note of a lease is kept.
func placingPath(h *house.House, l *store.Lease) string {
	return filepath.Join(h.Work(), fmt.Sprintf("placing-%d_%d_%s.json", l.SequenceID, l.Number, leaseMark(l)))
}

// place syncs the files under way and gives them their names. A file that stands there already is left if
// it is the same; a different one is never overwritten, and then none of the frame's files is placed.
func place(h *house.House, l *store.Lease, parts []part) ([]store.File, error) {
	note := placing{SequenceID: l.SequenceID, Number: l.Number}
	var files []store.File
	for _, p := range parts {
		file, err := sumOf(p.temp)
		if err != nil {
			return nil, err
		}
		file.Path = p.final
		there, err := sumOf(filepath.Join(h.Output(), filepath.FromSlash(p.final)))
		switch {
		case errors.Is(err, fs.ErrNotExist):
			note.Files = append(note.Files, file)
		case err != nil:
			return nil, err
		case there.SHA256 != file.SHA256:
			return nil, fmt.Errorf("%s exists already with other contents, and nothing is overwritten; move it away and retry", p.final)
		}
		files = append(files, file)
	}
	path := placingPath(h, l)
	if err := note.keep(path); err != nil {
		return nil, err
	}
	for _, p := range parts {
		if err := rename(p.temp, filepath.Join(h.Output(), filepath.FromSlash(p.final))); err != nil {
			return nil, errors.Join(err, note.takeBack(h, path))
		}
	}
	return files, nil
}

// rename brings a file under way safely to the disk and gives it its name.
func rename(temp, final string) error {
	if err := syncPath(temp); err != nil {
		return err
	}
	if err := os.Rename(temp, final); err != nil {
		return err
	}
	return syncPath(filepath.Dir(final))
}

func (n placing) keep(path string) error {
	data, err := json.Marshal(n)
	if err != nil {
		return err
	}
	if err := os.WriteFile(path, data, 0o644); err != nil {
		return err
	}
	return errors.Join(syncPath(path), syncPath(filepath.Dir(path)))
}

// takeBack removes the files that were placed, if they are still what was placed, and the note.
func (n placing) takeBack(h *house.House, note string) error {
	for _, f := range n.Files {
		path := filepath.Join(h.Output(), filepath.FromSlash(f.Path))
		there, err := sumOf(path)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		} else if err != nil {
			return err
		}
		if there.SHA256 != f.SHA256 {
			continue
		}
		if err := os.Remove(path); err != nil {
			return err
		}
	}
	return os.Remove(note)
}

// takeBackPlaced removes what a node that died had placed and not recorded.
func (n *Node) takeBackPlaced() error {
	notes, err := filepath.Glob(filepath.Join(n.House.Work(), "placing-*.json"))
	if err != nil {
		return err
	}
	for _, path := range notes {
		if err := settlePlacing(n.House, path); err != nil {
			return err
		}
	}
	return nil
}

// sumOf returns the size and the sum of a file.
func sumOf(path string) (store.File, error) {
	f, err := os.Open(path)
	if err != nil {
		return store.File{}, err
	}
	defer f.Close()
	sum := sha256.New()
	bytes, err := io.Copy(sum, f)
	return store.File{Path: path, Bytes: bytes, SHA256: hex.EncodeToString(sum.Sum(nil))}, err
}

// settlePlacing ends a note: its files stay if the record has the frame as good, and are taken back otherwise.
func settlePlacing(h *house.House, path string) error {
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	var note placing
	if json.Unmarshal(data, &note) != nil { // written half: nothing was placed yet
		return os.Remove(path)
	}
	f, err := h.Frame(note.SequenceID, note.Number)
	switch {
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	case err == nil && f.State == queue.Good:
		return os.Remove(path)
	}
	return note.takeBack(h, path)
}

// syncPath brings a file's contents, or a folder's names, safely to the disk.
func syncPath(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}
