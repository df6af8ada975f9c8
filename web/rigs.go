package web

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// mostSubjects are offered by their names.
const mostSubjects = 1000

// subjects returns the names of the scene's objects, each once.
func subjects(s *scene.Scene) []string {
	var names []string
	seen := map[string]bool{}
	for _, i := range s.At(0).Shown {
		if n := s.Nodes[i]; n.Mesh != scene.None && n.Name != "" && !seen[n.Name] {
			seen[n.Name] = true
			if names = append(names, n.Name); len(names) == mostSubjects {
				break
			}
		}
	}
	slices.SortFunc(names, func(a, b string) int { return cmp.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return names
}

// newRig returns a rig of a kind, as it is before anybody has changed it.
func newRig(kind camera.RigKind, code string, p *production.Production) camera.Rig {
	r := camera.Rig{Code: code, Kind: kind, Look: p.Looks[0].Code}
	switch kind {
	case camera.Ring:
		r.Name, r.Count, r.Radius, r.Height, r.Arc = "Ring", 8, 10, 2, 360
	case camera.Pair:
		r.Name, r.Separation, r.Left, r.Right = "Stereo", camera.EyeSeparation, "L", "R"
		for _, v := range p.ShotViews() {
			if v.Rig == "" {
				r.View = v.Code
				break
			}
		}
	case camera.Cube:
		r.Name, r.Subject = "Cube", geom.Vec{Y: 2}
	case camera.Panorama:
		r.Name, r.Subject, r.Count, r.Overlap = "Panorama", geom.Vec{Y: 2}, 8, 25
	}
	return r
}

// rig applies an edit of a rig; its views follow.
func (e edit) rig(p *production.Production) error {
	if e.field == "add" {
		s, err := e.stage(p)
		if err != nil {
			return err
		}
		cameras := s.CameraNodes()
		if len(cameras) == 0 {
			return fmt.Errorf("the scene has no camera whose lens the rig could have")
		}
		code := fresh(e.value, 0, func(c string) bool { _, ok := p.FindRig(c); return ok })
		r := newRig(camera.RigKind(e.value), code, p)
		r.Camera = s.Nodes[cameras[0]].Name
		return p.SetRig(r, e.focal(p))
	}
	i, err := at(e, p.Rigs, func(r camera.Rig) string { return r.Code })
	if err != nil {
		return err
	}
	r := p.Rigs[i]
	numbers := map[string]*float64{
		"x": &r.Subject.X, "y": &r.Subject.Y, "z": &r.Subject.Z, "radius": &r.Radius, "height": &r.Height, "start": &r.Start, "arc": &r.Arc,
		"separation": &r.Separation, "convergence": &r.Convergence, "overlap": &r.Overlap,
	}
	texts := map[string]*string{"name": &r.Name, "camera": &r.Camera, "look": &r.Look, "view": &r.View, "left": &r.Left, "right": &r.Right}
	switch {
	case e.field == "remove":
		return p.RemoveRig(r.Code)
	case texts[e.field] != nil:
		*texts[e.field] = e.value
	case e.field == "counter":
		r.Counter = e.ticked()
	case e.field == "count":
		if r.Count, err = e.number(); err != nil {
			return err
		}
	case e.field == "subject":
		s, err := e.stage(p)
		if err != nil {
			return err
		}
		box, ok := s.BoundsOf(e.value, p.Rate.Seconds(p.FirstFrame, p.FirstFrame))
		if !ok {
			return fmt.Errorf("the scene has no object %q", e.value)
		}
		c := box.Centre()
		r.Subject.X, r.Subject.Y, r.Subject.Z = tidy(c.X), tidy(c.Y), tidy(c.Z)
	case numbers[e.field] != nil:
		unit := map[string]string{"start": "°", "arc": "°", "overlap": "%"}[e.field]
		if unit == "" {
			unit = "m"
		}
		if *numbers[e.field], err = e.decimal(unit); err != nil {
			return err
		}
	default:
		return errChoice
	}
	return p.SetRig(r, e.focal(p))
}
