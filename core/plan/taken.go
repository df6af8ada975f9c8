package plan

import (
	"fmt"
	"reflect"
	"slices"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
)

// Taken says that frames of a sequence are not rendered: their files are taken over, as they are, from a sequence that
// was sent before. So every version of a shot is whole, though only a few of its frames were made again.
type Taken struct {
	Sequence int64     `json:"sequence"` // that has the files
	Version  int       `json:"version"`  // as which they were rendered, which their headers and stamps say
	Frames   frame.Set `json:"frames"`
	// Print is the fingerprint of the sequence as which they were rendered, "" if that is not known.
	Print fingerprint.Print `json:"print,omitempty"`
}

// TakenAt returns from where a frame is taken over, false for one that is rendered.
func (s Sequence) TakenAt(number int) (Taken, bool) {
	i := slices.IndexFunc(s.Taken, func(t Taken) bool { return t.Frames.Contains(number) })
	if i < 0 {
		return Taken{}, false
	}
	return s.Taken[i], true
}

// Rendered returns the frames that are rendered: those that are not taken over.
func (s Sequence) Rendered() frame.Set {
	left := s.Frames
	for _, t := range s.Taken {
		left = left.Minus(t.Frames)
	}
	return left
}

// RenderedShare returns which share of its frames is rendered: 1 if none is taken over.
func (s Sequence) RenderedShare() float64 {
	if len(s.Taken) == 0 {
		return 1
	}
	return float64(s.Rendered().Count()) / float64(s.Frames.Count())
}

// A Former is a sequence that was sent under the paths of a version, of which the next one is planned. Of one version
// there may be several, each with some of its frames.
type Former struct {
	ID      int64
	Version int
	Spec    Sequence
	Print   fingerprint.Print // of what it rendered by itself
	Good    frame.Set
}

// printAt returns the fingerprint of the sequence as which a frame was rendered, and the version as which it was.
func (f Former) printAt(number int) (fingerprint.Print, int) {
	if t, taken := f.Spec.TakenAt(number); taken {
		return t.Print, t.Version
	}
	return f.Print, f.Version
}

// asRendered is as what frames were rendered.
type asRendered struct {
	version int
	print   fingerprint.Print
}

// A Retake is what becomes of a sequence in the next version of its shot.
type Retake struct {
	Sequence
	Again   frame.Set // wanted again
	Also    frame.Set // rendered beside these: they were never good, have another name, or have another set-up now
	Other   frame.Set // taken over, though they would be rendered otherwise now
	Unequal string    // why frames of another set-up cannot be taken over, "" if they can
	Same    frame.Set // of Again: these would come out as they are
}

// Retake plans the next version of a sequence beside what was sent of the last one: the frames that are wanted again
// are rendered, and those that are good are taken over. With anew, frames whose set-up has changed since are rendered,
// too. then returns the fingerprint that the sequence would have now as another version. It fails if frames are wanted
// that the sequence does not have.
func (s Sequence) Retake(
	formers []Former, again frame.Set, anew bool, then func(version int) fingerprint.Print,
) (Retake, error) {
	r := Retake{Sequence: s, Again: again}
	if gone := again.Minus(s.Frames); !gone.Empty() {
		return r, fmt.Errorf("%s: frames %s are not in its range any more", s.Title(), gone)
	}
	prints := map[int]fingerprint.Print{}
	unchanged := func(f Former, number int) bool {
		was, version := f.printAt(number)
		if _, known := prints[version]; !known {
			prints[version] = then(version)
		}
		return was.Known() && was == prints[version]
	}
	left := s.Frames.Minus(again)
	for i := len(formers) - 1; i >= 0; i-- { // the newest first
		f := formers[i]
		var same []int
		for n := range again.Common(f.Good).Minus(s.renamed(f.Spec.Labels, again)).All() {
			if unchanged(f, n) {
				same = append(same, n)
			}
		}
		r.Same = together(r.Same, frame.SetOf(same))
		why := s.unequal(f.Spec)
		kept := map[asRendered][]int{}
		var other []int
		candidates := left.Common(f.Good)
		for n := range candidates.Minus(s.renamed(f.Spec.Labels, candidates)).All() {
			if !unchanged(f, n) {
				if why != "" {
					r.Unequal = why
				}
				if why != "" || anew {
					continue
				}
				other = append(other, n)
			}
			print, version := f.printAt(n)
			kept[asRendered{version, print}] = append(kept[asRendered{version, print}], n)
		}
		r.Other = together(r.Other, frame.SetOf(other))
		for as, numbers := range kept {
			t := Taken{Sequence: f.ID, Version: as.version, Frames: frame.SetOf(numbers), Print: as.print}
			left = left.Minus(t.Frames)
			r.Taken = append(r.Taken, t)
		}
	}
	slices.SortFunc(r.Taken, func(a, b Taken) int { return a.Frames.First() - b.Frames.First() })
	r.Also = left
	share := r.RenderedShare() // what is taken over costs next to nothing
	r.FrameSeconds, r.Least, r.Most = s.FrameSeconds*share, s.Least*share, s.Most*share
	return r, nil
}

// unequal says why files of an earlier sequence are not of the same form as this one's, "" if they are.
func (s Sequence) unequal(was Sequence) string {
	if len(s.Files) != len(was.Files) {
		return "the outputs are others now"
	}
	for i, f := range s.Files {
		w := was.Files[i]
		switch {
		case f.Output != w.Output || f.Label != w.Label || !slices.Equal(f.Passes, w.Passes):
			return fmt.Sprintf("output %s has other passes now", f.Output)
		case f.Size != w.Size:
			return fmt.Sprintf("output %s is %s now, and was %s", f.Output, f.Size, w.Size)
		case !reflect.DeepEqual(f.Encoding, w.Encoding):
			return fmt.Sprintf("output %s is encoded otherwise now", f.Output)
		}
	}
	return ""
}
