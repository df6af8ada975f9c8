package house

import (
	"fmt"
	"math"

	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// A Draft is what the current set-up of a production would send.
type Draft struct {
	Batch    plan.Batch
	Findings []preflight.Finding
	Problems []production.Problem // if there are any, there is no batch
	Measure  plan.Measure
}

// Sendable reports whether the draft may be sent.
func (d Draft) Sendable() bool { return len(d.Problems) == 0 && !preflight.Refused(d.Findings) }

// Refusal returns the first reason against sending, or nil.
func (d Draft) Refusal() error {
	if len(d.Problems) > 0 {
		return d.Problems[0]
	}
	for _, f := range d.Findings {
		if f.Severity == preflight.Refuses {
			return fmt.Errorf("%s: %s", f.Where, f.Message)
		}
	}
	return nil
}

// LastFrame returns the last frame at which the scene still moves.
func LastFrame(p production.Production, s *scene.Scene) int {
	return p.FirstFrame + int(math.Floor(s.Duration()*p.Rate.PerSecond()+1e-3))
}

// CameraNames returns the names of the scene's cameras.
func CameraNames(s *scene.Scene) []string {
	var names []string
	for _, i := range s.CameraNodes() {
		names = append(names, s.Nodes[i].Name)
	}
	return names
}

// Draft works out what a production would send now.
func (h *House) Draft(p production.Production) (Draft, error) {
	d := Draft{Problems: p.Problems()}
	if len(d.Problems) > 0 {
		return d, nil
	}
	var err error
	if d.Measure, err = h.Measure(p.Code); err != nil {
		return d, err
	}
	d.Measure.FramesRenderedAtATime = 1
	if d.Batch, err = plan.Build(p, d.Measure); err != nil {
		return d, err
	}
	s, err := h.Scene(p.Scene)
	if err != nil {
		d.Problems = []production.Problem{{Station: production.Scenes, Where: "scene", Field: "file", Message: err.Error()}}
		return d, nil
	}
	var failed error
	d.Findings = preflight.Check(d.Batch, preflight.Facts{
		Cameras: CameraNames(s), LastFrame: LastFrame(p, s), FreeBytes: h.FreeBytes(),
		Taken: func(key string) string {
			by, err := h.Taken(key)
			if err != nil {
				failed = err
			}
			return by
		},
	})
	return d, failed
}

// SendDraft sends what the production's current set-up makes, and returns the batch's number.
func (h *House) SendDraft(p production.Production) (int64, error) {
	d, err := h.Draft(p)
	if err != nil {
		return 0, err
	}
	if err := d.Refusal(); err != nil {
		return 0, err
	}
	name := fmt.Sprintf("%s v%03d %s", p.Code, p.Version, d.Batch.Quality.Name)
	return h.Send(d.Batch, name, 0)
}
