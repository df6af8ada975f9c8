// Package assets is what productions are made from and do not change: scenes, environments and sounds. A file is
// received beside its place, hashed, read once where that can do no harm, and kept under its hash; what was read of it
// is held in memory for as long as there is room.
//
//	scenes/        scene files, named by their SHA-256
//	environments/  equirectangular pictures that light scenes, likewise
//	sounds/        what plays along with cuts, likewise
//	references/    pictures and movies that frames are held against, likewise
//	luts/          look-up tables through which light is shown, likewise
//	incoming/      scene files that may be imported from the pages
package assets

import (
	"os"
	"path/filepath"
	"strings"
	"sync"

	"reelhouse/core/cut"
	"reelhouse/core/lut"
	"reelhouse/ffmpeg"
)

// A Library is the assets of an installation. It may be used by many goroutines at once.
type Library struct {
	dir string
	// Admit reads a file that comes in before the library does, where it can do no harm; nil for nobody.
	Admit func(kind Admission, path string) error
	// Movies are the programs that read movies.
	Movies    ffmpeg.Programs
	admitting sync.Mutex // one at a time: each may take much memory

	scenes *cache[readScene]
	waves  *cache[cut.Waveform]
	luts   *cache[*lut.Transform]
}

// How much is held in memory. One scene is, however large it is.
const (
	keptScenes     = 4
	keptSceneBytes = 4 << 30
	keptWaves      = 8
	keptLUTs       = 8
)

// folders are those of a library.
var folders = []string{"scenes", "environments", "sounds", "references", "luts", "incoming"}

// Open returns the library in a folder, and makes what there is not of it unless it is only read.
func Open(dir string, readOnly bool) (*Library, error) {
	bytes := func(s readScene) int64 { return s.scene.Bytes() }
	l := &Library{
		dir: dir, scenes: newCache(keptScenes, keptSceneBytes, bytes), waves: newCache[cut.Waveform](keptWaves, 0, nil),
		luts: newCache[*lut.Transform](keptLUTs, 0, nil),
	}
	if readOnly {
		return l, nil
	}
	for _, sub := range folders {
		if err := os.MkdirAll(l.path(sub), 0o755); err != nil {
			return nil, err
		}
	}
	l.sweep()
	return l, nil
}

// arriving is what the names of files begin with that are still coming in.
const arriving = ".incoming-"

// sweep removes files that were coming in when the server was ended. What cannot be removed does no harm.
func (l *Library) sweep() {
	for _, sub := range folders[:len(folders)-1] { // people put files into the last one themselves
		files, _ := os.ReadDir(l.path(sub))
		for _, f := range files {
			if strings.HasPrefix(f.Name(), arriving) {
				os.Remove(l.path(sub, f.Name()))
			}
		}
	}
}

func (l *Library) path(parts ...string) string {
	return filepath.Join(append([]string{l.dir}, parts...)...)
}
