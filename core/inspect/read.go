package inspect

import (
	"cmp"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync"

	"reelhouse/core/frame"
	"reelhouse/core/picture"
)

// A SequenceFile is one that may be of a sequence.
type SequenceFile struct {
	Name  string // with slashes
	Frame int
}

// A Series is files whose names are the same but for their numbers.
type Series struct {
	Name  string // with (frame) in place of the number
	Files []SequenceFile
}

// frameField stands for the number in the name of a series.
const frameField = "(frame)"

// numberOf returns where the number of a frame stands in the name of a file: its last digits before the extension, with
// a minus if that follows something that is no letter and no digit.
func numberOf(name string) (from, to int, ok bool) {
	to = len(name) - len(path.Ext(name))
	if path.Ext(name) != "" && strings.Trim(path.Ext(name)[1:], "0123456789") == "" {
		to = len(name) // the number is the extension
	}
	start := strings.LastIndexByte(name, '/') + 1
	isDigit := func(b byte) bool { return b >= '0' && b <= '9' }
	for to > start && !isDigit(name[to-1]) {
		to--
	}
	for from = to; from > start && isDigit(name[from-1]); from-- {
	}
	if from == to {
		return 0, 0, false
	}
	if from > start && name[from-1] == '-' &&
		(from-1 == start || strings.ContainsRune("._ ", rune(name[from-2]))) {
		from--
	}
	return from, to, true
}

// SeriesOf brings files together whose names are the same but for their numbers, in the order of their names. Files
// without a number, or with one that is no frame's, are left out.
func SeriesOf(names []string) []Series {
	var files []SequenceFile
	for _, name := range names {
		if number, ok := frameIn(name); ok {
			files = append(files, SequenceFile{name, number})
		}
	}
	return SeriesOfFrames(files)
}

// frameIn returns the number in the name of a file, if it may be that of a frame.
func frameIn(name string) (int, bool) {
	from, to, ok := numberOf(name)
	if !ok {
		return 0, false
	}
	number, err := strconv.Atoi(name[from:to])
	return number, err == nil && abs(number) <= frame.MaxNumber
}

// SeriesOfFrames brings files together of which the frames are known, in the order of their names. A file that does not
// have its frame in its name is one by itself.
func SeriesOfFrames(files []SequenceFile) []Series {
	by := map[string][]SequenceFile{}
	for _, f := range files {
		of := f.Name
		if number, ok := frameIn(f.Name); ok && number == f.Frame {
			from, to, _ := numberOf(f.Name)
			of = f.Name[:from] + frameField + f.Name[to:]
		}
		by[of] = append(by[of], f)
	}
	var all []Series
	for _, name := range slices.Sorted(maps.Keys(by)) {
		slices.SortFunc(by[name], func(a, b SequenceFile) int {
			return cmp.Or(cmp.Compare(a.Frame, b.Frame), cmp.Compare(a.Name, b.Name))
		})
		all = append(all, Series{name, by[name]})
	}
	return all
}

// A Source is an open file of so many bytes.
type Source interface {
	io.ReaderAt
	io.Closer
}

// An Opener opens a file of a sequence.
type Opener func(f SequenceFile) (in Source, bytes int64, err error)

// Read measures files, so many at a time. done is told after each of them.
func (s *Sequence) Read(files []SequenceFile, workers int, open Opener, done func(f SequenceFile)) {
	work := make(chan SequenceFile)
	var group sync.WaitGroup
	var mutex sync.Mutex
	for range max(1, workers) {
		group.Go(func() {
			for f := range work {
				m, err := measureFile(f, open)
				mutex.Lock()
				if err != nil {
					s.Unreadable(f.Frame, err)
				} else {
					s.frames = append(s.frames, m)
				}
				done(f)
				mutex.Unlock()
			}
		})
	}
	for _, f := range files {
		work <- f
	}
	close(work)
	group.Wait()
}

// measureFile opens a file and measures it.
func measureFile(f SequenceFile, open Opener) (m measured, err error) {
	in, bytes, err := open(f)
	if err != nil {
		return m, err
	}
	defer in.Close()
	file, err := picture.OpenLarge(in, bytes, picture.Limit)
	if err != nil {
		return m, err
	}
	file.KeepPrimaries = true
	if h := file.Headers[0]; h.Width() < 1 || h.Height() < 1 {
		return m, fmt.Errorf("it has no pixels")
	}
	if m, err = measureFrame(f.Frame, file); err != nil {
		return m, err
	}
	return m, file.CheckSum()
}
