package inspect

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
)

// An Inspection is what was found in sequences of files, as it is written to a file; see docs/formats.md.
type Inspection struct {
	Version   int              `json:"version"`
	Sequences []SequenceReport `json:"sequences"`
}

const (
	inspectionVersion = 1
	mostInspection    = 64 << 20 // bytes of a file
)

// Clean reports whether nothing was found in any sequence.
func (i Inspection) Clean() bool {
	return !slices.ContainsFunc(i.Sequences, func(r SequenceReport) bool { return !r.Clean() })
}

// Write writes what was found as JSON.
func Write(w io.Writer, i Inspection) error {
	i.Version = inspectionVersion
	e := json.NewEncoder(w)
	e.SetIndent("", "  ")
	return e.Encode(i)
}

// ReadInspection reads what was found. Faults that are not known are taken as they stand.
func ReadInspection(r io.Reader) (i Inspection, err error) {
	d := json.NewDecoder(io.LimitReader(r, mostInspection))
	if err := d.Decode(&i); err != nil {
		return Inspection{}, fmt.Errorf("inspection: %w", err)
	}
	if i.Version != inspectionVersion {
		return Inspection{}, fmt.Errorf(
			"inspection: version %d is not known here, only %d",
			i.Version,
			inspectionVersion,
		)
	}
	for _, s := range i.Sequences {
		for _, f := range s.Findings {
			if p := f.Place; p != nil && (p.X < 0 || p.Y < 0 || p.Width < 1 || p.Height < 1 ||
				p.Width > s.Width || p.Height > s.Height || p.X > s.Width-p.Width || p.Y > s.Height-p.Height) {
				return Inspection{}, fmt.Errorf("inspection: frame %d: its place lies outside the picture", f.Frame)
			}
		}
	}
	return i, nil
}
