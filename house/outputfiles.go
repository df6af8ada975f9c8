package house

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"reelhouse/bucket"
	"reelhouse/core/naming"
	"reelhouse/store"
)

// Finished files lie below the output folder, or on a volume, in plain folders, and are plain files. Anything else that
// stands there, such as a link or a pipe that some program made, is neither followed nor opened: what a link leads to
// may be anywhere, and opening a pipe hangs.

// ErrNotPlain is wrapped by the error about something below the output folder that is no plain file, or no plain
// folder.
var ErrNotPlain = errors.New("it is no plain file")

// A Plain is what is known to be a plain folder below the output folder, so that it need not be looked at again. The
// zero value knows none.
type Plain struct {
	known map[string]bool
	lists *lists // of folders in buckets; nil before anything was asked for there
}

// folder says why a folder, by its path below the output folder, is none, or leads elsewhere.
func (p *Plain) folder(h *House, rel string) error {
	if rel == "." || p.known[rel] {
		return nil
	}
	volume, root := isRoot(rel)
	if root || h.inBucket(rel) {
		if err := h.available(volume); err != nil {
			return err
		}
	} else {
		if err := p.folder(h, path.Dir(rel)); err != nil {
			return err
		}
		info, err := os.Lstat(h.outputPath(rel))
		if err != nil {
			return err
		}
		if !info.IsDir() {
			return fmt.Errorf("the folder %s: %w", rel, ErrNotPlain)
		}
	}
	if p.known == nil {
		p.known = map[string]bool{}
	}
	p.known[rel] = true
	return nil
}

// isRoot reports whether a path is a named volume itself.
func isRoot(rel string) (volume string, root bool) {
	volume, rest := naming.SplitVolume(rel)
	return volume, volume != "" && rest == ""
}

// OutputPath returns where a path below the output folder, or on a volume, lies on the disk; for a file in a bucket,
// where it would lie in the folder for what is under way there. It fails for one that would lie elsewhere, and for a
// volume that there is not.
func (h *House) OutputPath(rel string) (string, error) {
	volume, rest := naming.SplitVolume(rel)
	if !filepath.IsLocal(filepath.FromSlash(rest)) || path.Clean(rest) != rest {
		return "", fmt.Errorf("%s leads out of the output folder", rel)
	}
	if _, known := h.Volume(volume); !known {
		return "", h.available(volume)
	}
	return h.outputPath(rel), nil
}

// outputPath is OutputPath for a path that is known to lie on a volume.
func (h *House) outputPath(rel string) string {
	volume, rest := naming.SplitVolume(rel)
	v, _ := h.Volume(volume)
	return filepath.Join(v.Folder, filepath.FromSlash(rest))
}

// OutputFolder makes the folder of a file below the output folder, and those above it.
func (h *House) OutputFolder(rel string) error {
	file, err := h.OutputPath(rel)
	if err != nil {
		return err
	}
	if _, err := os.Lstat(filepath.Dir(file)); err != nil {
		if err := h.makeFolder(path.Dir(rel)); err != nil {
			return err
		}
	}
	return (&Plain{}).folder(h, path.Dir(rel))
}

// makeFolder makes a folder below the output folder and those above it, one after the other, so that nothing is made
// behind a link.
func (h *House) makeFolder(rel string) error {
	if rel == "." {
		return os.MkdirAll(h.Output(), 0o755)
	}
	if volume, root := isRoot(rel); root {
		if h.inBucket(rel) {
			return os.MkdirAll(h.outputPath(rel), 0o755)
		}
		return h.available(volume) // whose folder is not ours to make
	}
	if err := h.makeFolder(path.Dir(rel)); err != nil {
		return err
	}
	if err := os.Mkdir(h.outputPath(rel), 0o755); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	info, err := os.Lstat(h.outputPath(rel))
	if err == nil && !info.IsDir() {
		err = fmt.Errorf("the folder %s: %w", rel, ErrNotPlain)
	}
	return err
}

// StatOutput returns what a path below the output folder is, without following any link.
func (h *House) StatOutput(p *Plain, rel string) (fs.FileInfo, error) {
	file, err := h.OutputPath(rel)
	if err != nil {
		return nil, err
	}
	if err := p.folder(h, path.Dir(rel)); err != nil {
		return nil, err
	}
	if h.inBucket(rel) {
		return h.statObject(p, rel)
	}
	info, err := os.Lstat(file)
	if err == nil && !info.Mode().IsRegular() {
		err = fmt.Errorf("%s: %w", rel, ErrNotPlain)
	}
	return info, err
}

// OpenOutput opens a file below the output folder, which must be a plain one.
func (h *House) OpenOutput(rel string) (*os.File, fs.FileInfo, error) {
	file, err := h.ReadPath(rel)
	if err != nil {
		return nil, nil, err
	}
	f, info, err := OpenPlain(file)
	if h.inBucket(rel) && errors.Is(err, fs.ErrNotExist) { // another program has removed the copy just then
		if file, err = h.ReadPath(rel); err == nil {
			f, info, err = OpenPlain(file)
		}
	}
	return f, info, err
}

// ReadPath returns a path on this machine where a file below the output folder can be read, which must be a plain one.
// One in a bucket is fetched, if no copy of it is here; it stays for an hour at least.
func (h *House) ReadPath(rel string) (string, error) {
	if h.inBucket(rel) {
		return h.copyObject(rel)
	}
	if _, err := h.StatOutput(&Plain{}, rel); err != nil {
		return "", err
	}
	return h.outputPath(rel), nil
}

// RemoveOutput removes a file below the output folder.
func (h *House) RemoveOutput(rel string) error {
	if h.inBucket(rel) {
		return h.object(rel, (*bucket.Bucket).Remove)
	}
	file, err := h.OutputPath(rel)
	if err != nil {
		return err
	}
	return os.Remove(file)
}

// OpenPlain opens a plain file, and nothing else: neither a link, nor anything that could keep the caller waiting.
func OpenPlain(file string) (*os.File, fs.FileInfo, error) {
	f, err := os.OpenFile(file, os.O_RDONLY|plainFlags, 0)
	if err != nil {
		if isLink(err) {
			err = fmt.Errorf("%s: %w", filepath.Base(file), ErrNotPlain)
		}
		return nil, nil, err
	}
	info, err := f.Stat()
	if err == nil && !info.Mode().IsRegular() {
		err = fmt.Errorf("%s: %w", filepath.Base(file), ErrNotPlain)
	}
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return f, info, nil
}

// SumOutput reads a file below the output folder and returns its size and its sum.
func (h *House) SumOutput(rel string) (store.File, error) {
	f, err := h.readOutput(rel)
	if err != nil {
		return store.File{}, err
	}
	defer f.Close()
	file, err := SumOf(f)
	file.Path = rel
	return file, err
}

// readOutput opens a file below the output folder; one in a bucket is read from there, whatever copies there are.
func (h *House) readOutput(rel string) (io.ReadCloser, error) {
	if h.inBucket(rel) {
		return h.readObject(rel)
	}
	f, _, err := h.OpenOutput(rel)
	return f, err
}

// SumOf reads a file to its end and returns its size and its sum.
func SumOf(r io.Reader) (store.File, error) {
	sum := sha256.New()
	n, err := io.Copy(sum, r)
	return store.File{Bytes: n, SHA256: hex.EncodeToString(sum.Sum(nil))}, err
}

// asideFolder is where damaged files are kept, below the output folder: on the same disk, so that nothing has to be
// copied.
const asideFolder = ".set-aside"

// SetAside moves a file below the output folder out of the way, and returns where it is. Nothing is deleted.
func (h *House) SetAside(rel string) (string, error) {
	for n := 1; ; n++ {
		volume, rest := naming.SplitVolume(rel)
		aside := naming.OnVolume(volume, fmt.Sprintf("%s/%s.%d", asideFolder, rest, n))
		if h.inBucket(rel) {
			if err := h.moveObject(rel, aside); !errors.Is(err, fs.ErrExist) {
				return aside, err
			}
			continue
		}
		if err := h.OutputFolder(aside); err != nil {
			return "", err
		}
		if _, err := os.Lstat(h.outputPath(aside)); err == nil {
			continue
		} else if !errors.Is(err, fs.ErrNotExist) {
			return "", err
		}
		return aside, os.Rename(h.outputPath(rel), h.outputPath(aside))
	}
}

// isOurs reports whether a name below the output folder is one that the house uses for itself: of files under way, of
// what was set aside, and of a volume's mark.
func isOurs(name string) bool {
	return name == asideFolder || name == copiesFolder || name == markFile ||
		strings.HasPrefix(name, ".") && strings.Contains(name, PartMark)
}

// PartMark comes between a file's name and the number of its lease, in names of files under way.
const PartMark = ".part-"
