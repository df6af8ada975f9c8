package assets

import (
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
	return l.path("environments", filepath.Base(e.SHA256)+strings.ToLower(path.Ext(e.Name)))
}

// ImportEnvironment reads an equirectangular picture, OpenEXR or Radiance HDR, and keeps it if it is a good one.
func (l *Library) ImportEnvironment(name string, r io.Reader) (production.EnvironmentFile, error) {
	e := production.EnvironmentFile{Name: filepath.Base(name)}
	ext := strings.ToLower(path.Ext(e.Name))
	if ext != ".exr" && ext != ".hdr" {
		return e, fmt.Errorf("%s is neither an .exr nor an .hdr file, which hold light as it is", e.Name)
	}
	a, err := l.arrive("environments", name, r, MostEnvironmentBytes)
	if err != nil {
		return e, err
	}
	defer a.end()
	e.Bytes, e.SHA256 = a.bytes, a.sha256
	if err := l.judge(a, AdmitEnvironment); err != nil {
		return e, err
	}
	if e.Width, e.Height, err = sizeOf(a.File, e.Bytes); err != nil {
		return e, a.wrong(err)
	}
	return e, keepFile(a.File, l.EnvironmentPath(e))
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
