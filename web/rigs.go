package web

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// mostSubjects are offered by their names.
const mostSubjects = 1000

// subjects returns the names of the scene's objects, each once.
func subjects(s *scene.Scene) []string {
	var names []string
	for _, i := range s.At(0).Shown {
		if n := s.Nodes[i]; n.Mesh != scene.None && n.Name != "" && !slices.Contains(names, n.Name) {
			if names = append(names, n.Name); len(names) == mostSubjects {
				break
			}
		}
	}
	slices.SortFunc(names, func(a, b string) int { return cmp.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return names
}

// ring applies an edit of a ring; its views follow.
func (e edit) ring(p *production.Production) error {
	if e.field == "add" {
		s, err := e.stage(p)
		if err != nil {
			return err
		}
		cameras := s.CameraNodes()
		if len(cameras) == 0 {
			return fmt.Errorf("the scene has no camera whose lens the ring could have")
		}
		code := fresh("ring", 0, func(c string) bool { _, ok := p.FindRing(c); return ok })
		r := camera.Ring{Code: code, Name: "Ring", Camera: s.Nodes[cameras[0]].Name, Look: p.Looks[0].Code, Count: 8, Radius: 10, Height: 2, Arc: 360}
		return p.SetRing(r)
	}
	i, err := at(e, p.Rings, func(r camera.Ring) string { return r.Code })
	if err != nil {
		return err
	}
	r := p.Rings[i]
	numbers := map[string]*float64{"x": &r.Subject.X, "y": &r.Subject.Y, "z": &r.Subject.Z, "radius": &r.Radius, "height": &r.Height, "start": &r.Start, "arc": &r.Arc}
	switch e.field {
	case "remove":
		return p.RemoveRing(r.Code)
	case "name":
		r.Name = e.value
	case "camera":
		r.Camera = e.value
	case "look":
		r.Look = e.value
	case "counter":
		r.Counter = e.ticked()
	case "count":
		if r.Count, err = e.number(); err != nil {
			return err
		}
	case "subject":
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
	default:
		to := numbers[e.field]
		if to == nil {
			return errChoice
		}
		if *to, err = e.decimal(map[string]string{"start": "°", "arc": "°"}[e.field]); err != nil {
			return err
		}
	}
	return p.SetRing(r)
}
