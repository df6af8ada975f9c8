package house

import (
	"bytes"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"reelhouse/core/cut"
	"reelhouse/core/production"
)

// CutFormats are the endings of files that cuts are kept in.
func CutFormats() []string { return []string{"otio", "edl"} }

// ReadCut reads a cut from a file by its ending, and finds the production's shots in it. It returns how many clips are
// no shot.
func ReadCut(name string, data io.Reader, p production.Production) (r cut.Reading, left int, err error) {
	switch ending(name) {
	case "edl":
		r, err = cut.ReadEDL(data, p.Clock())
	case "otio":
		r, err = cut.ReadOTIO(data, p.Clock())
	default:
		err = fmt.Errorf("a cut is read from files that end with .otio or .edl")
	}
	if err != nil {
		return r, 0, fmt.Errorf("%s: %w", filepath.Base(name), err)
	}
	var codes []string
	for _, s := range p.Shots {
		codes = append(codes, s.Code)
	}
	if s := r.Cut.Sound; s.Name == "" || s.Name == p.Cut.Sound.Name { // a file has its name at most
		r.Cut.Sound = p.Cut.Sound
	}
	return r, r.Cut.Match(codes), nil
}

// WriteCut returns a production's cut as a file of one of CutFormats, and what that cannot hold.
func WriteCut(format string, p production.Production) (data []byte, dropped []string, err error) {
	var b bytes.Buffer
	switch format {
	case "edl":
		dropped, err = cut.WriteEDL(&b, p.Title, p.Cut, p.Clock())
	case "otio":
		dropped, err = cut.WriteOTIO(&b, p.Title, p.Cut, p.Clock())
	default:
		err = fmt.Errorf("a cut is written as otio or edl, not as %q", format)
	}
	return b.Bytes(), dropped, err
}

// ending returns the ending of a file's name, in small letters and without its dot.
func ending(name string) string {
	return strings.TrimPrefix(strings.ToLower(filepath.Ext(name)), ".")
}
