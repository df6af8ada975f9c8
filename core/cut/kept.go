package cut

import "encoding/json"

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

// keptBytes returns how many bytes the cut keeps so.
func (c Cut) keptBytes() int {
	of := func(others []Other) (n int) {
		for _, o := range others {
			n += len(o.Kept)
		}
		return n
	}
	n := len(c.Kept) + len(c.Stack)
	for _, o := range c.Others {
		n += len(o.Kept)
	}
	for _, t := range c.Tracks {
		n += len(t.Kept) + of(t.After)
		for _, clip := range t.Clips {
			n += len(clip.Kept) + of(clip.Before)
		}
	}
	return n
}
