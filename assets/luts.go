package assets

import (
	"fmt"
	"io"
	"os"
	"path/filepath"

	"reelhouse/core/lut"
	"reelhouse/core/production"
)

// mostLUTMemory is for the first reading of a look-up table.
const mostLUTMemory = 2 << 30

// LUTPath returns where a look-up table is kept, "" for none.
func (l *Library) LUTPath(f production.LUTFile) string {
	if f.SHA256 == "" {
		return ""
	}
	return l.path("luts", filepath.Base(f.SHA256))
}

// ImportLUT reads a .cube file, or one of the Common LUT Format, and keeps it if it is a good one. What it takes is for
// a person to say.
func (l *Library) ImportLUT(name string, r io.Reader) (production.LUTFile, error) {
	f := production.LUTFile{Name: filepath.Base(name)}
	a, err := l.arrive("luts", name, r, lut.MostBytes)
	if err != nil {
		return f, err
	}
	defer a.end()
	f.Bytes, f.SHA256 = a.bytes, a.sha256
	if err := l.judge(a, AdmitLUT); err != nil {
		return f, err
	}
	return f, keepFile(a.File, l.LUTPath(f))
}

// LUT returns a look-up table. It is read once, and kept.
func (l *Library) LUT(f production.LUTFile) (*lut.Transform, error) {
	return l.luts.get(f.SHA256, func() (*lut.Transform, error) {
		file, err := os.Open(l.LUTPath(f))
		if err != nil {
			return nil, fmt.Errorf("look-up table %s: %w", f.Code, err)
		}
		defer file.Close()
		t, err := readLUT(file)
		if err != nil {
			return nil, fmt.Errorf("look-up table %s: %w", f.Code, err)
		}
		return t, nil
	})
}

// readLUT reads a file from its beginning.
func readLUT(f *os.File) (*lut.Transform, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	data, err := io.ReadAll(io.LimitReader(f, lut.MostBytes+1))
	if err != nil {
		return nil, err
	}
	return lut.Parse(data)
}
