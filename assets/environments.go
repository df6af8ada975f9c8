package assets

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"

	"reelhouse/core/picture"
	"reelhouse/core/production"
	"reelhouse/core/trace"
)

// MostEnvironmentBytes is the size above which an environment's file is refused.
const MostEnvironmentBytes = 512 << 20

// EnvironmentPath returns where an environment is kept, "" for none.
func (l *Library) EnvironmentPath(e production.EnvironmentFile) string {
	if e.SHA256 == "" {
		return ""
	}
	return l.path("environments", e.SHA256+strings.ToLower(path.Ext(e.Name)))
}

// ImportEnvironment reads an equirectangular picture, OpenEXR or Radiance HDR, and keeps it if it is a good one.
func (l *Library) ImportEnvironment(name string, r io.Reader) (production.EnvironmentFile, error) {
	e := production.EnvironmentFile{Name: filepath.Base(name)}
	ext := strings.ToLower(path.Ext(e.Name))
	if ext != ".exr" && ext != ".hdr" {
		return e, fmt.Errorf("%s is neither an .exr nor an .hdr file, which hold light as it is", e.Name)
	}
	temp, err := os.CreateTemp(l.path("environments"), arriving+"*")
	if err != nil {
		return e, fmt.Errorf("%s: %w", e.Name, err)
	}
	defer os.Remove(temp.Name()) // fails once it was renamed, as it should
	defer temp.Close()
	sum := sha256.New()
	if e.Bytes, err = io.Copy(io.MultiWriter(temp, sum), io.LimitReader(r, MostEnvironmentBytes+1)); err != nil {
		return e, fmt.Errorf("%s: %w", e.Name, err)
	}
	if e.Bytes > MostEnvironmentBytes {
		return e, fmt.Errorf("%s is larger than %d MB", e.Name, MostEnvironmentBytes>>20)
	}
	e.SHA256 = hex.EncodeToString(sum.Sum(nil))
	l.admitting.Lock()
	defer l.admitting.Unlock()
	if err := l.admit(AdmitEnvironment, temp.Name()); err != nil {
		return e, fmt.Errorf("%s: %w", e.Name, err)
	}
	if l.Admit == nil { // nobody has read it yet
		if _, err := readEnvironment(temp); err != nil {
			return e, fmt.Errorf("%s: %w", e.Name, err)
		}
	}
	if e.Width, e.Height, err = sizeOf(temp, e.Bytes); err != nil {
		return e, fmt.Errorf("%s: %w", e.Name, err)
	}
	return e, keepFile(temp, l.EnvironmentPath(e))
}

// sizeOf returns the size of a picture, without its pixels.
func sizeOf(f *os.File, bytes int64) (width, height int, err error) {
	p, err := picture.OpenLarge(f, bytes, picture.Limit)
	if err != nil {
		return 0, 0, err
	}
	return p.Headers[0].Width(), p.Headers[0].Height(), nil
}

// readEnvironment reads a file from its beginning.
func readEnvironment(f *os.File) (*trace.Environment, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	data, err := io.ReadAll(io.LimitReader(f, MostEnvironmentBytes+1))
	if err != nil {
		return nil, err
	}
	return trace.DecodeEnvironment(data)
}
