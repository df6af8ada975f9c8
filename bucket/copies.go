package bucket

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"sync"
	"time"
)

// copies are the copies of objects that this machine keeps. Each version of an object has a name of its own, so that
// none is taken for another.
type copies struct {
	folder string
	most   int64 // bytes
	free   func(folder string) float64

	mutex   sync.Mutex
	counted bool
	bytes   int64
	used    map[string]time.Time // by their paths, as far as it was since this program began
}

// use notes that a copy was asked for. Its own times stay: programs tell by them whether it was written to.
func (c *copies) use(path string) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if c.used == nil {
		c.used = map[string]time.Time{}
	}
	c.used[path] = time.Now()
}

// leastFree is how much of its disk is left alone, in bytes, as far as copies can go: a house needs it to render.
const leastFree = 5e9

// stays is how long a copy stays that was asked for: a program may be about to open it.
const stays = time.Hour

func (c *copies) path(f File) string {
	sum := sha256.Sum256(fmt.Appendf(nil, "%q %q %d", f.Path, f.version, f.Bytes))
	name := hex.EncodeToString(sum[:])
	return filepath.Join(c.folder, name[:2], name[2:]+path.Ext(f.Path))
}

// of returns where the copy of an object is, which is fetched if there is none.
func (c *copies) of(f File, fetch func() (io.ReadCloser, error)) (string, error) {
	at := c.path(f)
	c.use(at)
	if _, err := os.Stat(at); err == nil {
		return at, nil
	}
	from, err := fetch()
	if err != nil {
		return "", err
	}
	defer from.Close()
	if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
		return "", err
	}
	temp, err := os.CreateTemp(filepath.Dir(at), ".fetched-")
	if err != nil {
		return "", err
	}
	is := sha256.New()
	n, err := io.Copy(io.MultiWriter(temp, is), from)
	if err = errors.Join(err, temp.Chmod(0o444), temp.Close()); err == nil && n != f.Bytes {
		err = fmt.Errorf("%s: %d of %d bytes have come", f.Path, n, f.Bytes)
	}
	if err == nil && f.SHA256 != "" && hex.EncodeToString(is.Sum(nil)) != f.SHA256 {
		err = fmt.Errorf("%s is not what was put into its bucket", f.Path)
	}
	if err == nil {
		err = os.Rename(temp.Name(), at)
	}
	if err != nil {
		return "", errors.Join(err, os.Remove(temp.Name()))
	}
	c.came(n)
	return at, nil
}

// take makes a file the copy of an object. If that does not work it is fetched when it is wanted.
func (c *copies) take(f File, from string) {
	at := c.path(f)
	if os.MkdirAll(filepath.Dir(at), 0o755) == nil && os.Rename(from, at) == nil {
		_ = os.Chmod(at, 0o444) // as a reminder
		c.came(f.Bytes)
	}
}

// came counts a copy, and removes others if there are too many now.
func (c *copies) came(bytes int64) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.bytes += bytes
	free := c.free(c.folder)
	low := free >= 0 && free < leastFree
	if c.counted && c.bytes <= c.most && !low {
		return
	}
	type kept struct {
		path  string
		bytes int64
		used  time.Time
	}
	var all []kept
	c.counted, c.bytes = true, 0
	_ = filepath.WalkDir(c.folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return nil // what cannot be looked at is left
		}
		if info, err := d.Info(); err == nil {
			used := info.ModTime()
			if last, known := c.used[path]; known {
				used = last
			}
			all = append(all, kept{path, info.Size(), used})
			c.bytes += info.Size()
		}
		return nil
	})
	slices.SortFunc(all, func(a, b kept) int { return cmp.Compare(a.used.UnixNano(), b.used.UnixNano()) })
	for _, k := range all {
		if c.bytes <= c.most && (!low || free >= leastFree) || time.Since(k.used) < stays {
			return
		}
		if os.Remove(k.path) == nil {
			c.bytes -= k.bytes
			free += float64(k.bytes)
			delete(c.used, k.path)
		}
	}
}
