package house

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"

	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// ScenePath returns where a scene file is kept.
func (h *House) ScenePath(f production.SceneFile) string { return h.path("scenes", f.SHA256+".gltf") }

// BringScene reads a scene file, or an archive of one with the files beside it, and keeps it if it is a good one.
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
	h.keepScene(f, s)
	return f, s, nil
}

// A Beside is one file of several that make a scene: the scene file itself, or what it refers to.
type Beside struct {
	Name string // with its folders, by slashes
	Open func() (io.ReadCloser, error)
}

// BringFiles keeps a scene file together with the files that it refers to, in one archive.
func (h *House) BringFiles(files []Beside) (production.SceneFile, *scene.Scene, error) {
	name := ""
	for _, f := range files {
		if scene.IsFile(f.Name) {
			if name != "" {
				return production.SceneFile{}, nil, fmt.Errorf("there are two scene files among them, %s and %s; choose one and what it needs", name, f.Name)
			}
			name = f.Name
		}
	}
	if name == "" {
		return production.SceneFile{}, nil, fmt.Errorf("there is no .gltf or .glb file among them")
	}
	var archive bytes.Buffer
	if err := pack(&archive, files); err != nil {
		return production.SceneFile{}, nil, err
	}
	return h.BringScene(path.Base(name), &archive)
}

// pack writes an archive that is the same for the same files.
func pack(w io.Writer, files []Beside) error {
	files = slices.Clone(files)
	sort.Slice(files, func(i, j int) bool { return files[i].Name < files[j].Name })
	archive := zip.NewWriter(w)
	left := int64(scene.MaxFileBytes)
	for _, f := range files {
		if !fs.ValidPath(f.Name) {
			return fmt.Errorf("the name %q cannot be used", f.Name)
		}
		in, err := f.Open()
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		out, err := archive.Create(f.Name)
		if err == nil {
			var n int64
			n, err = io.Copy(out, io.LimitReader(in, left+1))
			left -= n
		}
		in.Close()
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		if left < 0 {
			return fmt.Errorf("together they are larger than %d MB", scene.MaxFileBytes>>20)
		}
	}
	return archive.Close()
}

// mostIncoming bounds how many files are looked at.
const mostIncoming = 500

// Incoming lists the scene files in the folder incoming, by their names below it.
func (h *House) Incoming() ([]string, error) {
	var names []string
	seen := 0
	err := fs.WalkDir(os.DirFS(h.path("incoming")), ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		if seen++; seen > mostIncoming {
			return fs.SkipAll
		}
		if scene.IsFile(name) || strings.EqualFold(path.Ext(name), ".zip") {
			names = append(names, name)
		}
		return nil
	})
	return names, err
}

// BringIncoming takes in a file of the folder incoming, with the files that it refers to below its own folder.
func (h *House) BringIncoming(name string) (production.SceneFile, *scene.Scene, error) {
	names, err := h.Incoming()
	if err != nil {
		return production.SceneFile{}, nil, err
	}
	if !slices.Contains(names, name) {
		return production.SceneFile{}, nil, fmt.Errorf("there is no %q in the folder incoming any more", name)
	}
	root, err := os.OpenRoot(h.path("incoming"))
	if err != nil {
		return production.SceneFile{}, nil, err
	}
	defer root.Close()
	if scene.IsFile(name) {
		s, err := scene.ReadFolder(root.FS(), name)
		if err != nil {
			return production.SceneFile{}, nil, err
		}
		if len(s.Extras.Files) > 0 {
			files := []Beside{{path.Base(name), func() (io.ReadCloser, error) { return root.Open(name) }}}
			for _, beside := range s.Extras.Files {
				files = append(files, Beside{beside, func() (io.ReadCloser, error) { return root.Open(path.Join(path.Dir(name), beside)) }})
			}
			return h.BringFiles(files)
		}
	}
	file, err := root.Open(name)
	if err != nil {
		return production.SceneFile{}, nil, err
	}
	defer file.Close()
	return h.BringScene(name, file)
}

const keptScenes = 4

// key is what a scene in memory goes by: its file and its unit.
func key(f production.SceneFile) production.SceneFile {
	return production.SceneFile{SHA256: f.SHA256, Unit: f.Unit}
}

// lookedThrough is a scene in memory, with its report when that was asked for.
type lookedThrough struct {
	scene  *scene.Scene
	report func() scene.Report
}

func (h *House) keepScene(f production.SceneFile, s *scene.Scene) *lookedThrough {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	if len(h.scenes) >= keptScenes {
		clear(h.scenes)
	}
	kept := &lookedThrough{s, sync.OnceValue(s.Report)}
	h.scenes[key(f)] = kept
	return kept
}

// Report returns the report of a scene file, which is made once.
func (h *House) Report(f production.SceneFile) (scene.Report, error) {
	kept, err := h.sceneOf(f)
	if err != nil {
		return scene.Report{}, err
	}
	return kept.report(), nil
}

// Scene returns the scene of a file that was brought in, in metres.
func (h *House) Scene(f production.SceneFile) (*scene.Scene, error) {
	kept, err := h.sceneOf(f)
	if err != nil {
		return nil, err
	}
	return kept.scene, nil
}

func (h *House) sceneOf(f production.SceneFile) (*lookedThrough, error) {
	if f.SHA256 == "" {
		return nil, fmt.Errorf("there is no scene yet")
	}
	h.mutex.Lock()
	kept := h.scenes[key(f)]
	h.mutex.Unlock()
	if kept != nil {
		return kept, nil
	}
	if f.Unit != 0 {
		as := f
		as.Unit = 0
		s, err := h.Scene(as)
		if err != nil {
			return nil, err
		}
		return h.keepScene(f, s.Scaled(f.Unit)), nil
	}
	file, err := os.Open(h.ScenePath(f))
	if err != nil {
		return nil, fmt.Errorf("scene file %s: %w", f.Name, err)
	}
	defer file.Close()
	s, err := scene.Read(file)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Name, err)
	}
	return h.keepScene(f, s), nil
}
