package house

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"

	"reelhouse/core/production"
	"reelhouse/core/trace"
)

// MostEnvironmentBytes is the size above which an environment's file is refused.
const MostEnvironmentBytes = 512 << 20

// EnvironmentPath returns where an environment is kept, "" for none.
func (h *House) EnvironmentPath(e production.EnvironmentFile) string {
	if e.SHA256 == "" {
		return ""
	}
	return h.path("environments", e.SHA256+strings.ToLower(path.Ext(e.Name)))
}

// BringEnvironment reads an equirectangular picture, OpenEXR or Radiance HDR, and keeps it if it is a good one.
func (h *House) BringEnvironment(name string, r io.Reader) (production.EnvironmentFile, error) {
	e := production.EnvironmentFile{Name: filepath.Base(name)}
	ext := strings.ToLower(path.Ext(e.Name))
	if ext != ".exr" && ext != ".hdr" {
		return e, fmt.Errorf("%s is neither an .exr nor an .hdr file, which hold light as it is", e.Name)
	}
	data, err := io.ReadAll(io.LimitReader(r, MostEnvironmentBytes+1))
	switch {
	case err != nil:
		return e, fmt.Errorf("%s: %w", e.Name, err)
	case len(data) > MostEnvironmentBytes:
		return e, fmt.Errorf("%s is larger than %d MB", e.Name, MostEnvironmentBytes>>20)
	}
	around, err := trace.DecodeEnvironment(data)
	if err != nil {
		return e, fmt.Errorf("%s: %w", e.Name, err)
	}
	sum := sha256.Sum256(data)
	e.SHA256, e.Bytes = hex.EncodeToString(sum[:]), int64(len(data))
	e.Width, e.Height = around.Size()
	temp, err := os.CreateTemp(h.path("environments"), arriving+"*")
	if err != nil {
		return e, fmt.Errorf("%s: %w", e.Name, err)
	}
	defer os.Remove(temp.Name()) // fails once it was renamed, as it should
	defer temp.Close()
	if _, err := temp.Write(data); err != nil {
		return e, fmt.Errorf("%s: %w", e.Name, err)
	}
	return e, keepFile(temp, h.EnvironmentPath(e))
}
