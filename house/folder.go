// Package house is one installation: a data folder with the record, the scenes and the finished files, and
// what is worked out from them together.
//
//	reelhouse.db   the record
//	scenes/        scene files, named by their SHA-256
//	environments/  pictures that stand round scenes, likewise
//	sounds/        what plays along with cuts, likewise
//	incoming/      scene files that may be taken in from the pages
//	output/        finished files; in .set-aside below it, damaged ones in whose place others have come
//	thumbs/        small pictures, which may be deleted at any time
//	work/          jobs under way
package house

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"reelhouse/core/cut"
	"reelhouse/core/production"
	"reelhouse/store"
)

// A House is an open installation.
type House struct {
	Record *store.Store
	Dir    string // absolute
	unlock func() error
	// OnlyBuiltIn says that no renderer but the built-in one renders here, which reads glTF and nothing else.
	OnlyBuiltIn bool
	// Admit reads a file that comes in before the house does, where it can do no harm; nil for nobody.
	Admit     func(kind Admission, path string) error
	admitting sync.Mutex // one at a time: each may take much memory

	mutex  sync.Mutex
	scenes map[production.SceneFile]*lookedThrough // a few of them
	drafts map[string]keptDraft                    // likewise
	last   map[string]keptDraft                    // the last draft of every production
	waves  map[string]cut.Waveform                 // likewise, by the hashes of sounds
}

// Open opens the installation in a folder, and makes it if there is none. Only one process may have it open
// for writing: a second one is told so. With shared, the folder must exist and is not locked; the caller
// only reads.
func Open(dir string, shared bool) (*House, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	h := &House{
		Dir:    dir,
		scenes: map[production.SceneFile]*lookedThrough{},
		drafts: map[string]keptDraft{},
		last:   map[string]keptDraft{},
		waves:  map[string]cut.Waveform{},
		unlock: func() error { return nil },
	}
	if shared {
		if _, err := os.Stat(h.path("reelhouse.db")); err != nil {
			return nil, fmt.Errorf(
				"there is no Reelhouse data in %s; `reelhouse demo` or `reelhouse serve` makes some", dir,
			)
		}
	} else {
		for _, sub := range []string{"scenes", "environments", "sounds", "incoming", "output", "thumbs", "work"} {
			if err := os.MkdirAll(h.path(sub), 0o755); err != nil {
				return nil, fmt.Errorf("data folder: %w", err)
			}
		}
		if h.unlock, err = lock(h.path("reelhouse.lock")); err != nil {
			return nil, fmt.Errorf("the data folder %s is in use by another Reelhouse server: %w", dir, err)
		}
	}
	if !shared {
		h.sweep()
	}
	if h.Record, err = store.Open(h.path("reelhouse.db")); err != nil {
		return nil, errors.Join(err, h.unlock())
	}
	return h, nil
}

// arriving is what the names of files begin with that are still coming in.
const arriving = ".incoming-"

// sweep removes files that were coming in when the server was ended. What cannot be removed does no harm.
func (h *House) sweep() {
	for _, sub := range []string{"scenes", "environments", "sounds"} {
		files, _ := os.ReadDir(h.path(sub))
		for _, f := range files {
			if strings.HasPrefix(f.Name(), arriving) {
				os.Remove(h.path(sub, f.Name()))
			}
		}
	}
}

// Close closes the installation.
func (h *House) Close() error { return errors.Join(h.Record.Close(), h.unlock()) }

func (h *House) path(parts ...string) string {
	return filepath.Join(append([]string{h.Dir}, parts...)...)
}

// Output returns the folder below which finished files lie.
func (h *House) Output() string { return h.path("output") }

// Thumbs returns the folder of small pictures.
func (h *House) Thumbs() string { return h.path("thumbs") }

// Work returns the folder of jobs under way.
func (h *House) Work() string { return h.path("work") }
