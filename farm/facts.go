package farm

import (
	"fmt"
	"strconv"

	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/stamp"
	"reelhouse/house"
	"reelhouse/store"
)

// facts are what is known of a frame before it is rendered: for stamps and for the headers of files.
type facts struct {
	lease    *store.Lease
	timecode string
	seconds  float64
	lens     string // "" for a camera without one
}

func factsOf(h *house.House, l *store.Lease) (facts, error) {
	b := l.Batch.Plan
	clock := b.Clock()
	f := facts{lease: l, timecode: clock.Timecode(l.Number).String(), seconds: clock.Seconds(l.Number)}
	s, err := h.Scene(b.Scene)
	if err != nil {
		return f, err
	}
	f.lens = house.LensName(s, l.Sequence.Spec.Camera)
	return f, nil
}

// dateFormat is how a stamp writes the day on which a batch was sent.
const dateFormat = "2006-01-02"

// field answers a stamp's fields for one file.
func (f facts) field(file plan.FileSequence) func(field string) string {
	s, b := f.lease.Sequence.Spec, f.lease.Batch.Plan
	return func(field string) string {
		switch field {
		case "production":
			return b.Production
		case "title":
			return b.Title
		case "shot":
			return s.Shot
		case "shotname":
			return s.ShotName
		case "view":
			return s.View
		case "look":
			return s.Look.Name
		case "size":
			return s.SizeCode
		case "output":
			return file.Output
		case "pass":
			return file.Label
		case "quality":
			return b.Quality.Name
		case "timecode":
			return f.timecode
		case "seconds":
			return fmt.Sprintf("%.3f s", f.seconds)
		case "date":
			return f.lease.Batch.Sent.UTC().Format(dateFormat)
		case "lens":
			return f.lens
		case "note":
			return s.Note
		}
		return "(" + stamp.RenderTime + ")" // only the renderer knows
	}
}

// list returns the facts for the headers of files.
func (f facts) list() []job.Fact {
	s, b := f.lease.Sequence.Spec, f.lease.Batch.Plan
	list := []job.Fact{
		{Name: "production", Value: b.Production}, {Name: "title", Value: b.Title}, {Name: "shot", Value: s.Shot}, {Name: "shotname", Value: s.ShotName},
		{Name: "view", Value: s.View}, {Name: "camera", Value: s.Camera}, {Name: "lens", Value: f.lens}, {Name: "look", Value: s.Look.Code},
		{Name: "size", Value: s.SizeCode}, {Name: "quality", Value: b.Quality.Code}, {Name: "version", Value: strconv.Itoa(b.Version)},
		{Name: "timecode", Value: f.timecode}, {Name: "date", Value: f.lease.Batch.Sent.UTC().Format(dateFormat)},
		{Name: "note", Value: s.Note}, {Name: "scene", Value: b.Scene.SHA256},
	}
	kept := list[:0]
	for _, fact := range list {
		if fact.Value != "" {
			kept = append(kept, fact)
		}
	}
	return kept
}
