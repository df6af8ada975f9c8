package house

import (
	"fmt"
	"math"
	"strconv"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/naming"
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

// LensName returns what the lens of a set-up camera is called, such as "35.0 mm", "" if the scene has no such camera.
func LensName(s *scene.Scene, name string, setup camera.Setup) string {
	i := s.FindCamera(name)
	if i == scene.None || s.Unread {
		return ""
	}
	c := s.Cameras[s.Nodes[i].Camera]
	if high := setup.Of(geom.Identity(), c).Camera.Height; high > 0 {
		return "orthographic, " + scene.Length(high)
	}
	return strconv.FormatFloat(setup.FocalOf(c), 'f', 1, 64) + " mm"
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
		Cameras: CameraNames(s), LastFrame: LastFrame(p, s), FreeBytes: h.FreeBytes(), Unreadable: p.Scene.Opaque != nil && h.OnlyBuiltIn,
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

// NextVersion returns the lowest version above the production's own under which none of its files was ever
// sent, so that no file of an earlier version is touched.
func (h *House) NextVersion(p production.Production) (int, error) {
	for _, o := range p.Outputs {
		pattern, err := naming.Parse(p.PatternOf(o))
		if err != nil {
			return 0, err
		}
		if !pattern.Has("version") {
			return 0, fmt.Errorf("the name pattern of output %s has no (version), so the next version would write the same paths; put it in first", o.Code)
		}
	}
	for version := p.Version + 1; version <= production.MaxVersion; version++ {
		p.Version = version
		b, err := plan.Build(p, plan.Measure{})
		if err != nil {
			return 0, err
		}
		sent, err := h.anySent(b)
		if err != nil || !sent {
			return version, err
		}
	}
	return 0, fmt.Errorf("there is no version above %d", production.MaxVersion)
}

func (h *House) anySent(b plan.Batch) (bool, error) {
	for _, s := range b.Sequences {
		for _, f := range s.Files {
			if by, err := h.Taken(f.Path.Key()); err != nil || by != "" {
				return true, err
			}
		}
	}
	return false, nil
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
