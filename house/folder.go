// Package house is one installation: a data folder with the record, the scenes and the finished files, and
// what is worked out from them together.
//
//	reelhouse.db   the record
//	scenes/, environments/, sounds/, incoming/   the assets; see package assets
//	output/        finished files; in .set-aside below it, damaged ones in whose place others have come. Others may
//	               lie on volumes, on other disks
//	thumbs/        small pictures, which may be deleted at any time
//	work/          jobs under way
package house

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"

	"reelhouse/assets"
	"reelhouse/store"
)

// A House is an open installation.
type House struct {
	Record *store.Store
	Assets *assets.Library // scenes, environments and sounds
	Dir    string          // absolute
	unlock func() error
	// OnlyBuiltIn says that no renderer but the built-in one renders here, which reads glTF and nothing else.
	OnlyBuiltIn bool
	volumes     []store.Volume // that the configuration names
	buckets     buckets        // of those of them that are
	// destinations are those of deliveries that the configuration names.
	destinations []Destination

	mutex  sync.Mutex
	drafts map[string]keptDraft // a few of them
	last   map[string]keptDraft // the last draft of every production
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
		Dir: dir, drafts: map[string]keptDraft{}, last: map[string]keptDraft{}, unlock: func() error { return nil },
	}
	if shared {
		if _, err := os.Stat(h.path("reelhouse.db")); err != nil {
			return nil, fmt.Errorf(
				"there is no Reelhouse data in %s; `reelhouse demo` or `reelhouse serve` makes some", dir,
			)
		}
	} else {
		for _, sub := range []string{"output", "thumbs", "work"} {
			if err := os.MkdirAll(h.path(sub), 0o755); err != nil {
				return nil, fmt.Errorf("data folder: %w", err)
			}
		}
		if h.unlock, err = lock(h.path("reelhouse.lock")); err != nil {
			return nil, fmt.Errorf("the data folder %s is in use by another Reelhouse server: %w", dir, err)
		}
	}
	if h.Assets, err = assets.Open(dir, shared); err != nil {
		return nil, errors.Join(fmt.Errorf("data folder: %w", err), h.unlock())
	}
	if h.Record, err = store.Open(h.path("reelhouse.db")); err != nil {
		return nil, errors.Join(err, h.unlock())
	}
	if h.volumes, err = h.Record.Volumes(); err != nil {
		return nil, errors.Join(err, h.Close())
	}
	return h, nil
}

// Close closes the installation.
func (h *House) Close() error { return errors.Join(h.buckets.close(), h.Record.Close(), h.unlock()) }

func (h *House) path(parts ...string) string {
	return filepath.Join(append([]string{h.Dir}, parts...)...)
}

// Output returns the folder below which finished files lie that are on no volume.
func (h *House) Output() string { return h.path("output") }

// Thumbs returns the folder of small pictures.
func (h *House) Thumbs() string { return h.path("thumbs") }

// Viewing returns the folder of viewing files, which may be deleted at any time.
func (h *House) Viewing() string { return h.path("viewing") }

// Work returns the folder of jobs under way.
func (h *House) Work() string { return h.path("work") }
