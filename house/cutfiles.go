package house

import (
	"bytes"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"reelhouse/core/cut"
	"reelhouse/core/production"
)

// CutFormats are the endings of files that cuts are kept in.
func CutFormats() []string { return []string{"otio", "edl"} }

// A CutFile is a file that a cut is read from.
type CutFile struct {
	Name string
	Data io.Reader
}

// ReadCut reads a cut from a file by its ending, or from several edit decision lists that go on from each other, and
// finds the production's shots in it. It returns how many clips are no shot.
func ReadCut(files []CutFile, p production.Production) (r cut.Reading, left int, err error) {
	if len(files) == 0 {
		return r, 0, fmt.Errorf("no file was chosen")
	}
	name := filepath.Base(files[0].Name)
	lists := []io.Reader{}
	for _, f := range files {
		if lists = append(lists, f.Data); ending(f.Name) != "edl" && len(files) > 1 {
			return r, 0, fmt.Errorf("%s: only lists that end with .edl are read together", filepath.Base(f.Name))
		}
	}
	switch ending(name) {
	case "edl":
		r, err = cut.ReadEDL(p.Clock(), lists...)
	case "otio":
		r, err = cut.ReadOTIO(lists[0], p.Clock())
	default:
		err = fmt.Errorf("a cut is read from files that end with .otio or .edl")
	}
	if err != nil {
		return r, 0, fmt.Errorf("%s: %w", name, err)
	}
	var codes []string
	for _, s := range p.Shots {
		codes = append(codes, s.Code)
	}
	switch s := p.Cut.Sound; {
	case s.Name == "":
	case s.Name == r.Cut.Sound.Name: // a file has its name at most
		r.Cut.Sound = s
	case r.Cut.Sound.Name == "":
		r.Changed = append(r.Changed, fmt.Sprintf("the file has no sound; that of the cut, %s, is removed", s.Name))
	default:
		r.Changed = append(r.Changed, fmt.Sprintf("the sound %s takes the place of %s", r.Cut.Sound.Name, s.Name))
	}
	left = r.Cut.Match(codes)
	r.Cut.From, r.Cut.Said = name, slices.Concat(r.Changed, r.Dropped)
	return r, left, nil
}

// WriteCut returns a production's cut as a file of one of CutFormats, and what that cannot hold or has otherwise. A
// list has at most so many events; of a longer cut there are several, which go on from each other.
func WriteCut(format string, p production.Production) (files [][]byte, said []string, err error) {
	switch format {
	case "edl":
		return cut.WriteEDL(p.Title, p.Cut, p.Clock())
	case "otio":
		var b bytes.Buffer
		said, err = cut.WriteOTIO(&b, p.Title, p.Cut, p.Clock())
		return [][]byte{b.Bytes()}, said, err
	}
	return nil, nil, fmt.Errorf("a cut is written as otio or edl, not as %q", format)
}

// ending returns the ending of a file's name, in small letters and without its dot.
func ending(name string) string {
	return strings.TrimPrefix(strings.ToLower(filepath.Ext(name)), ".")
}
