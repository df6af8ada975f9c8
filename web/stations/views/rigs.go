package views

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/scene"
	"reelhouse/web/kit"
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

// A shownRig is a rig with what is edited of it.
type shownRig struct {
	camera.Rig
	Title  kit.Field
	Says   string     // what follows from its numbers, "" for nothing
	Turn   *kit.Field // to which side it goes round; nil where that means nothing
	Remove kit.Action
	Fields []kit.Field
	Help   string
	Wrong  []string
}

// rigs fills in the rigs, and those that can be added.
func (page *viewsPage) rigs(v *kit.View, cameras, objects []string, looks []kit.Option) {
	p := v.Production
	for _, r := range p.Rigs {
		var others []string
		for _, w := range p.Views {
			if w.Rig != r.Code {
				others = append(others, w.Code)
			}
		}
		page.Rigs = append(page.Rigs, rigOf(v.Part("rig", r.Code), r, cameras, others, objects, looks))
	}
	add := v.Part("rig", "")
	page.WrongRig = add.Wrong("add")
	for _, one := range [][3]string{
		{string(camera.Ring), "+ ring of eight", "Eight views round a subject"},
		{string(camera.Pair), "+ stereo pair", "The left and the right eye of a view"},
		{string(camera.Cube), "+ cube", "Six views of 90° from one point"},
		{string(camera.Panorama), "+ panorama", "Views round about from one point"},
	} {
		page.AddRigs = append(page.AddRigs, add.Action("add", one[1], one[2]).With(one[0]))
	}
}

// rigOf returns a rig with what is edited of it; others are the views that are not its own.
func rigOf(part kit.Part, r camera.Rig, cameras, others, objects []string, looks []kit.Option) shownRig {
	shown := shownRig{
		Rig: r, Title: part.Field("name", "Name", r.Name),
		Remove: part.Action("remove", "Remove", "Remove this rig and its views"),
	}
	number := func(name, label string, value float64) kit.Field {
		return part.Field(name, label, kit.Number(value)).Mono(0)
	}
	add := func(fields ...kit.Field) { shown.Fields = append(shown.Fields, fields...) }
	if r.Kind == camera.Ring || r.Kind == camera.Panorama {
		shown.Says = fmt.Sprintf("%.4g° apart", r.Apart())
		turn := part.Tick("anticlockwise", "anticlockwise, seen from above", r.Counter)
		shown.Turn = &turn
		add(part.Field("count", "Views", r.Count).Mono(0))
	}
	switch r.Kind {
	case camera.Pair:
		add(part.Field("view", "Eyes of", r.View).Of(others),
			number("interaxial", "Interaxial, m", r.Separation),
			number("convergence", "Convergence, m; 0 for parallel", r.Convergence),
			part.Field("left", "Suffix, left", r.Left).Mono(0), part.Field("right", "Suffix, right", r.Right).Mono(0))
	case camera.Cube:
		shown.Says = "six squares of 90°"
		shown.Help = "Render it in a square size; another ratio crops it."
	case camera.Ring:
		add(number("radius", "Radius, m", r.Radius), number("height", "Above the subject, m", r.Height),
			number("start", "First one from, °", r.Start), number("arc", "Arc, °", r.Arc),
			part.Field("camera", "Lens of", r.Camera).Among(cameraOptions(cameras, false)))
	}
	if r.Kind == camera.Panorama {
		add(number("overlap", "Overlap, %", r.Overlap))
	}
	if r.Kind == camera.Cube || r.Kind == camera.Panorama {
		add(number("start", "First one looks to, °", r.Start))
	}
	if r.Kind != camera.Pair {
		what, of := "Position", "In the middle of an object"
		if r.Kind == camera.Ring {
			what, of = "Subject", "Round the middle of an object"
		}
		add(number("x", what+", east, m", r.Subject.X), number("z", what+", south, m", r.Subject.Z),
			number("y", what+", up, m", r.Subject.Y),
			part.Choice("subject", of, "choose one …", named(objects)),
			part.Field("look", "Look", r.Look).Among(looks))
	}
	for _, field := range []string{"", "remove", "rig"} {
		if message := part.Wrong(field); message != "" {
			shown.Wrong = append(shown.Wrong, message)
		}
	}
	return shown
}
