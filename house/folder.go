// Package house is one installation: a data folder with the record, the scenes and the finished files, and
// what is worked out from them together.
//
//	reelhouse.db   the record
//	scenes/        scene files, named by their SHA-256
//	output/        finished files
//	thumbs/        small pictures, which may be deleted at any time
//	work/          jobs under way
package house

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"

	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/store"
)

// A House is an open installation.
type House struct {
	*store.Store
	Dir    string // absolute
	unlock func() error

	mutex  sync.Mutex
	scenes map[string]*scene.Scene // by SHA-256; a few of them
}

// Open opens the installation in a folder, and makes it if there is none. Only one process may have it open
// for writing: a second one is told so. With shared, the folder must exist and is not locked; the caller
// only reads.
func Open(dir string, shared bool) (*House, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	h := &House{Dir: dir, scenes: map[string]*scene.Scene{}, unlock: func() error { return nil }}
	if shared {
		if _, err := os.Stat(h.path("reelhouse.db")); err != nil {
			return nil, fmt.Errorf("there is no Reelhouse data in %s; `reelhouse demo` or `reelhouse serve` makes some", dir)
		}
	} else {
		for _, sub := range []string{"scenes", "output", "thumbs", "work"} {
			if err := os.MkdirAll(h.path(sub), 0o755); err != nil {
				return nil, fmt.Errorf("data folder: %w", err)
			}
		}
		if h.unlock, err = lock(h.path("reelhouse.lock")); err != nil {
			return nil, fmt.Errorf("the data folder %s is in use by another Reelhouse server: %w", dir, err)
		}
	}
	if h.Store, err = store.Open(h.path("reelhouse.db")); err != nil {
		return nil, errors.Join(err, h.unlock())
	}
	return h, nil
}

// Close closes the installation.
func (h *House) Close() error { return errors.Join(h.Store.Close(), h.unlock()) }

func (h *House) path(parts ...string) string {
	return filepath.Join(append([]string{h.Dir}, parts...)...)
}

// Output returns the folder below which finished files lie.
func (h *House) Output() string { return h.path("output") }

// Thumbs returns the folder of small pictures.
func (h *House) Thumbs() string { return h.path("thumbs") }

// Work returns the folder of jobs under way.
func (h *House) Work() string { return h.path("work") }

// ScenePath returns where a scene file is kept.
func (h *House) ScenePath(f production.SceneFile) string { return h.path("scenes", f.SHA256+".gltf") }

// BringScene reads a scene file, and keeps it if it is a good one.
func (h *House) BringScene(name string, r io.Reader) (production.SceneFile, *scene.Scene, error) {
	f := production.SceneFile{Name: filepath.Base(name)}
	temp, err := os.CreateTemp(h.path("scenes"), ".incoming-*")
	if err != nil {
		return f, nil, fmt.Errorf("scene file: %w", err)
	}
	defer os.Remove(temp.Name()) // fails once it was renamed, as it should
	defer temp.Close()
	hash := sha256.New()
	if f.Bytes, err = io.Copy(io.MultiWriter(temp, hash), io.LimitReader(r, scene.MaxFileBytes+1)); err != nil {
		return f, nil, fmt.Errorf("scene file: %w", err)
	}
	if _, err := temp.Seek(0, io.SeekStart); err != nil {
		return f, nil, fmt.Errorf("scene file: %w", err)
	}
	s, err := scene.Read(temp)
	if err != nil {
		return f, nil, err
	}
	f.SHA256 = hex.EncodeToString(hash.Sum(nil))
	if err := temp.Sync(); err != nil {
		return f, nil, fmt.Errorf("scene file: %w", err)
	}
	if err := os.Rename(temp.Name(), h.ScenePath(f)); err != nil {
		return f, nil, fmt.Errorf("scene file: %w", err)
	}
	h.keepScene(f.SHA256, s)
	return f, s, nil
}

const keptScenes = 4

func (h *House) keepScene(sha string, s *scene.Scene) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	if len(h.scenes) >= keptScenes {
		clear(h.scenes)
	}
	h.scenes[sha] = s
}

// Scene returns the scene of a file that was brought in.
func (h *House) Scene(f production.SceneFile) (*scene.Scene, error) {
	if f.SHA256 == "" {
		return nil, fmt.Errorf("there is no scene yet")
	}
	h.mutex.Lock()
	s := h.scenes[f.SHA256]
	h.mutex.Unlock()
	if s != nil {
		return s, nil
	}
	file, err := os.Open(h.ScenePath(f))
	if err != nil {
		return nil, fmt.Errorf("scene file %s: %w", f.Name, err)
	}
	defer file.Close()
	if s, err = scene.Read(file); err != nil {
		return nil, fmt.Errorf("%s: %w", f.Name, err)
	}
	h.keepScene(f.SHA256, s)
	return s, nil
}
