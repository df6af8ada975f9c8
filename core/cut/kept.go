package cut

import (
	"encoding/json"
	"errors"
	"fmt"
)

// Kept is what a file of another program says of a thing and a cut has no place for: the fields of a JSON object of
// OpenTimelineIO as they came, written out again with the thing that they hang on.
type Kept = json.RawMessage

// An Other is a thing on a track that is no clip, such as a transition. It hangs on the clip that follows it.
type Other struct {
	// Off is how many record frames it begins before the clip that it hangs on; for what is behind the last clip of a
	// track, how many after that clip's end.
	Off    int  `json:"off,omitempty"`
	Length int  `json:"length,omitempty"` // record frames that it takes
	Kept   Kept `json:"kept"`
}

// An OtherTrack is a track that is not of pictures, or a thing in its place.
type OtherTrack struct {
	Below int  `json:"below"`           // how many tracks of the cut lie below it
	Sound bool `json:"sound,omitempty"` // whether it is that of the cut's sound
	Kept  Kept `json:"kept"`
}

// MaxKept is how many bytes a cut keeps of what it does not understand.
const MaxKept = 16 << 20

// allKept goes through all that the cut keeps so.
func (c Cut) allKept(yield func(Kept) bool) {
	others := func(all []Other) bool {
		for _, o := range all {
			if !yield(o.Kept) {
				return false
			}
		}
		return true
	}
	if !yield(c.Kept) || !yield(c.Stack) {
		return
	}
	for _, o := range c.Others {
		if !yield(o.Kept) {
			return
		}
	}
	for _, t := range c.Tracks {
		if !yield(t.Kept) || !others(t.After) {
			return
		}
		for _, clip := range t.Clips {
			if !yield(clip.Kept) || !others(clip.Before) {
				return
			}
		}
	}
}

// Keeps reports whether the cut keeps anything of another program's file.
func (c Cut) Keeps() bool { return c.keptBytes() > 0 }

// keptBytes returns how many bytes the cut keeps so.
func (c Cut) keptBytes() int {
	n := 0
	for k := range c.allKept {
		n += len(k)
	}
	return n
}

// checkKept says what is wrong with what the cut keeps, or nil.
func (c Cut) checkKept() error {
	n := 0
	for k := range c.allKept {
		if n += len(k); len(k) > 0 && (k[0] != '{' || !json.Valid(k)) {
			return errors.New("what is kept of another program's file is no JSON object")
		}
	}
	if n > MaxKept {
		return fmt.Errorf("%d MB of what other programs said of it; a cut keeps at most %d MB", n>>20, MaxKept>>20)
	}
	for _, t := range c.Tracks {
		for _, clip := range append([]Clip{{Before: t.After}}, t.Clips...) {
			for _, o := range clip.Before {
				if o.Off < -MaxFrames || o.Off > MaxFrames || o.Length < 0 || o.Length > MaxFrames {
					return fmt.Errorf("what is kept of another program's file takes frames beyond %d", MaxFrames)
				}
			}
		}
	}
	return nil
}
