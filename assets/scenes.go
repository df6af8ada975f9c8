package assets

import (
	"archive/zip"
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

	"reelhouse/core/naming"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// ScenePath returns where a scene file is kept.
func (l *Library) ScenePath(f production.SceneFile) string {
	ending := ".gltf"
	if f.Opaque != nil { // outside renderers go by the ending of the name
		ending = opaqueExt(f.Name)
	}
	return l.path("scenes", filepath.Base(f.SHA256)+ending)
}

// opaqueExt returns the ending of a file's name, if it is a plain one.
func opaqueExt(name string) string {
	ext := path.Ext(filepath.Base(name))
	if !naming.ValidCode(strings.TrimPrefix(ext, ".")) {
		return ".scene"
	}
	return strings.ToLower(ext)
}

// ImportOpaque keeps a file that only an outside renderer understands, with what a person says of it. If that names no
// cameras, those of USD text are read from the file.
func (l *Library) ImportOpaque(name string, r io.Reader, o production.Opaque) (production.SceneFile, error) {
	f := production.SceneFile{Name: filepath.Base(name), Opaque: &o}
	seen := map[string]bool{}
	for _, c := range o.Cameras {
		if seen[c] {
			return f, fmt.Errorf("the camera %s is named twice", c)
		}
		seen[c] = true
	}
	switch {
	case len(o.Cameras) == 0 && !scene.IsUSD(name):
		return f, fmt.Errorf(
			"no camera is named; write the names of the cameras that its renderer knows (of USD text, .usda, they " +
				"are read)",
		)
	case !(o.Seconds >= 0 && o.Seconds <= 1e6):
		return f, fmt.Errorf("a scene of %v seconds is outside 0 to a million", o.Seconds)
	}
	temp, err := l.receive(&f, r)
	if err != nil {
		return f, err
	}
	defer os.Remove(temp.Name()) // fails once it was renamed, as it should
	defer temp.Close()
	switch {
	case f.Bytes > scene.MaxFileBytes:
		return f, fmt.Errorf("the file is larger than %d MB", scene.MaxFileBytes>>20)
	case f.Bytes == 0:
		return f, fmt.Errorf("the file is empty")
	}
	if len(o.Cameras) == 0 {
		l.admitting.Lock()
		defer l.admitting.Unlock()
		if err := l.admit(AdmitUSD, temp.Name()); err != nil {
			return f, err
		}
		s, err := scene.ReadUSD(temp)
		if err != nil {
			return f, err
		}
		for _, i := range s.CameraNodes() {
			f.Opaque.Cameras = append(f.Opaque.Cameras, s.Nodes[i].Name)
		}
		if len(f.Opaque.Cameras) == 0 {
			return f, fmt.Errorf("it has no camera; write the names of those that its renderer knows")
		}
		f.Opaque.Read = true
		f.Opaque.Seconds = max(o.Seconds, s.Duration())
	}
	return f, keepFile(temp, l.ScenePath(f))
}

// receive writes a file that comes in beside the scenes, under a temporary name, and settles its size and its hash.
func (l *Library) receive(f *production.SceneFile, r io.Reader) (*os.File, error) {
	temp, err := os.CreateTemp(l.path("scenes"), arriving+"*")
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	hash := sha256.New()
	f.Bytes, err = io.Copy(io.MultiWriter(temp, hash), io.LimitReader(r, scene.MaxFileBytes+1))
	if err == nil {
		_, err = temp.Seek(0, io.SeekStart)
	}
	if err != nil {
		temp.Close()
		os.Remove(temp.Name())
		return nil, fmt.Errorf("scene file: %w", err)
	}
	f.SHA256 = hex.EncodeToString(hash.Sum(nil))
	return temp, nil
}

// keepFile gives a file that has arrived its name.
func keepFile(temp *os.File, path string) error {
	if err := temp.Sync(); err != nil {
		return fmt.Errorf("%s: %w", filepath.Base(path), err)
	}
	return os.Rename(temp.Name(), path)
}

// ImportScene reads a scene file, or an archive of one with the files beside it, and keeps it if it is a good one.
func (l *Library) ImportScene(name string, r io.Reader) (production.SceneFile, *scene.Scene, error) {
	f := production.SceneFile{Name: filepath.Base(name)}
	temp, err := l.receive(&f, r)
	if err != nil {
		return f, nil, err
	}
	defer os.Remove(temp.Name()) // fails once it was renamed, as it should
	defer temp.Close()
	if f.Bytes > scene.MaxFileBytes {
		return f, nil, fmt.Errorf("the file is larger than %d MB", scene.MaxFileBytes>>20)
	}
	l.admitting.Lock()
	defer l.admitting.Unlock()
	if err := l.admit(AdmitScene, temp.Name()); err != nil {
		return f, nil, err
	}
	s, err := scene.Read(temp)
	if err == nil {
		err = s.Drawable()
	}
	if err != nil {
		return f, nil, err
	}
	if err := keepFile(temp, l.ScenePath(f)); err != nil {
		return f, nil, fmt.Errorf("scene file: %w", err)
	}
	l.scenes.add(keyText(f), newReadScene(s))
	return f, s, nil
}

// A Sidecar is one file of several that make a scene: the scene file itself, or what it refers to.
type Sidecar struct {
	Name string // with its folders, by slashes
	Open func() (io.ReadCloser, error)
}

// ImportFiles keeps a scene file together with the files that it refers to, in one archive.
func (l *Library) ImportFiles(files []Sidecar) (production.SceneFile, *scene.Scene, error) {
	name := ""
	for _, f := range files {
		if scene.IsFile(f.Name) {
			if name != "" {
				return production.SceneFile{}, nil, fmt.Errorf(
					"there are two scene files among them, %s and %s; choose one and what it needs", name, f.Name,
				)
			}
			name = f.Name
		}
	}
	if name == "" {
		return production.SceneFile{}, nil, fmt.Errorf("there is no .gltf or .glb file among them")
	}
	archive, err := os.CreateTemp(l.path("scenes"), arriving+"*")
	if err != nil {
		return production.SceneFile{}, nil, fmt.Errorf("scene file: %w", err)
	}
	defer os.Remove(archive.Name())
	defer archive.Close()
	if err := pack(archive, files); err != nil {
		return production.SceneFile{}, nil, err
	}
	if _, err := archive.Seek(0, io.SeekStart); err != nil {
		return production.SceneFile{}, nil, fmt.Errorf("scene file: %w", err)
	}
	return l.ImportScene(path.Base(name), archive)
}

// pack writes an archive that is the same for the same files.
func pack(w io.Writer, files []Sidecar) error {
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
func (l *Library) Incoming() ([]string, error) {
	var names []string
	seen := 0
	err := fs.WalkDir(os.DirFS(l.path("incoming")), ".", func(name string, d fs.DirEntry, err error) error {
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

// ImportIncoming takes in a file of the folder incoming, with the files that it refers to below its own folder.
func (l *Library) ImportIncoming(name string) (production.SceneFile, *scene.Scene, error) {
	names, err := l.Incoming()
	if err != nil {
		return production.SceneFile{}, nil, err
	}
	if !slices.Contains(names, name) {
		return production.SceneFile{}, nil, fmt.Errorf("there is no %q in the folder incoming any more", name)
	}
	root, err := os.OpenRoot(l.path("incoming"))
	if err != nil {
		return production.SceneFile{}, nil, err
	}
	defer root.Close()
	if scene.IsFile(name) {
		besides, err := scene.FilesBeside(root.FS(), name)
		if err != nil {
			return production.SceneFile{}, nil, err
		}
		if len(besides) > 0 {
			files := []Sidecar{{path.Base(name), func() (io.ReadCloser, error) { return root.Open(name) }}}
			for _, beside := range besides {
				files = append(
					files,
					Sidecar{
						beside,
						func() (io.ReadCloser, error) { return root.Open(path.Join(path.Dir(name), beside)) },
					},
				)
			}
			return l.ImportFiles(files)
		}
	}
	file, err := root.Open(name)
	if err != nil {
		return production.SceneFile{}, nil, err
	}
	defer file.Close()
	return l.ImportScene(name, file)
}

// Key is what a scene goes by, whatever its file is called: its contents, which of its scenes, and its unit.
func Key(f production.SceneFile) production.SceneFile {
	key := production.SceneFile{SHA256: f.SHA256, Unit: f.Unit, Number: f.Number}
	if f.Opaque != nil {
		key.Name, key.Opaque = opaqueExt(f.Name), f.Opaque
	}
	return key
}

// Report returns the report of a scene file, which is made once.
func (l *Library) Report(f production.SceneFile) (scene.Report, error) {
	read, err := l.sceneOf(f)
	if err != nil {
		return scene.Report{}, err
	}
	return read.report(), nil
}

// Scene returns the scene of a file that was imported, in metres.
func (l *Library) Scene(f production.SceneFile) (*scene.Scene, error) {
	read, err := l.sceneOf(f)
	if err != nil {
		return nil, err
	}
	return read.scene, nil
}

func (l *Library) sceneOf(f production.SceneFile) (readScene, error) {
	if f.SHA256 == "" {
		return readScene{}, fmt.Errorf("there is no scene yet")
	}
	if f.Opaque != nil && !f.Opaque.Read {
		s := scene.Unread(f.Name, f.Opaque.Cameras, f.Opaque.Seconds)
		return readScene{s, s.Report}, nil
	}
	return l.scenes.get(keyText(f), func() (readScene, error) {
		if f.Unit != 0 && f.Opaque == nil {
			as := f
			as.Unit = 0
			s, err := l.Scene(as)
			if err != nil {
				return readScene{}, err
			}
			return newReadScene(s.Scaled(f.Unit)), nil
		}
		file, err := os.Open(l.ScenePath(f))
		if err != nil {
			return readScene{}, fmt.Errorf("scene file %s: %w", f.Name, err)
		}
		defer file.Close()
		if f.Opaque != nil {
			s, err := scene.ReadUSD(file)
			if err != nil {
				return readScene{}, fmt.Errorf("%s: %w", f.Name, err)
			}
			return newReadScene(s.Lasting(f.Opaque.Seconds)), nil
		}
		s, err := scene.ReadOne(file, f.Number)
		if err != nil {
			return readScene{}, fmt.Errorf("%s: %w", f.Name, err)
		}
		return newReadScene(s), nil
	})
}

// readScene is a scene in memory, with its report, which is made when it is asked for.
type readScene struct {
	scene  *scene.Scene
	report func() scene.Report
}

func newReadScene(s *scene.Scene) readScene { return readScene{s, sync.OnceValue(s.Report)} }

// keyText is Key as a text.
func keyText(f production.SceneFile) string {
	return fmt.Sprintf("%s %g %d", f.SHA256, f.Unit, f.Number)
}
