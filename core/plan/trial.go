package plan

import (
	"fmt"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
)

// A Trial is a batch of a few frames of every sequence, to see whether the whole one would come out well. Its files lie
// in a folder of their own, so that they never meet those of the whole batch, and no shot is changed for it.
type Trial string

// The trials.
const (
	Whole       Trial = ""      // no trial
	FirstFrames Trial = "first" // the first frame of each sequence
	EveryTenth  Trial = "tenth" // every tenth frame
	Ends        Trial = "ends"  // first, middle and last
)

// Trials returns all trials.
func Trials() []Trial { return []Trial{FirstFrames, EveryTenth, Ends} }

// Name returns what the trial is called.
func (t Trial) Name() string {
	switch t {
	case FirstFrames:
		return "first frames"
	case EveryTenth:
		return "every tenth frame"
	case Ends:
		return "first, middle and last frames"
	}
	return "all frames"
}

// Of returns the frames of a set that are tried.
func (t Trial) Of(s frame.Set) frame.Set {
	switch t {
	case FirstFrames:
		return s.Thin(max(2, s.Count()))
	case EveryTenth:
		return s.Thin(10)
	case Ends:
		return s.Ends()
	}
	return s
}

// Try returns the batch as a trial, whose files lie in a folder of their own that a number tells apart.
func (b Batch) Try(t Trial, number int) Batch {
	b.Trial = t
	folder := fmt.Sprintf("trials/%s_%03d/", t, number)
	sequences := make([]Sequence, len(b.Sequences))
	for i, s := range b.Sequences {
		recommended := s.Tiles == b.Recommended(s)
		s.Own = t.Of(s.Own)
		s.Frames = s.Own
		if recommended {
			s.Tiles = b.Recommended(s) // one frame of many may be alone now
		}
		files := make([]FileSequence, len(s.Files))
		for k, f := range s.Files {
			f.Pattern = folder + f.Pattern
			if pattern, err := naming.Parse(f.Pattern); err == nil {
				f.Path = pattern.Bind(s.fields(b.Production, b.QualityOf(s).Code, b.Version, f), b.Standards.Names).
					Labelled(s.names()).On(b.Volume)
			}
			files[k] = f
		}
		s.Files = files
		sequences[i] = s
	}
	b.Sequences = sequences
	return b
}
