// Package viewsheet sets all views of a production side by side, fact by fact, marks what is not as in most of them,
// and points at what stands out.
package viewsheet

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// Columns returns the names of the facts, in their order.
func Columns() []string {
	return []string{
		"Camera", "Lens", "Focus", "Look", "Lights on", "Environment", "Background", "Exposure", "Sizes", "Lock",
	}
}

// Columns that differ by their nature, and in which nothing is marked.
var own = []string{"Camera", "Lens"}

// A Fact is one thing about a view.
type Fact struct {
	Text   string
	More   string // at length, "" if there is no more to say
	Common string // what most views have, if this one has something else; otherwise ""
}

// A Row is a view with its facts, one a column.
type Row struct {
	View  production.View
	Facts []Fact
}

// A Sheet is all views that are not for work only.
type Sheet struct {
	Rows []Row
	Odd  []string // what stands out, in sentences
}

// Of makes the sheet. The scene may be nil if it cannot be read.
func Of(p production.Production, s *scene.Scene) Sheet {
	var sheet Sheet
	lights := Lights(s)
	for _, v := range p.ShotViews() {
		l, _ := p.FindLook(v.Look)
		sheet.Rows = append(sheet.Rows, Row{v, []Fact{
			{
				Text: v.Camera,
			}, {Text: lensOf(v, s)}, {Text: focusOf(v)}, {Text: v.Look, More: l.Name}, lightsOn(l, lights),
			{Text: environmentOf(l)},
			{
				Text: backgroundOf(l.Over(p.Picture.Background)),
			}, {Text: exposureOf(v, l, p)}, sizesOf(p, v), {Text: lockOf(v)},
		}})
	}
	sheet.mark()
	sheet.odd(p, s, lights)
	return sheet
}

// Lights returns the names of the scene's lights that are shown, each once.
func Lights(s *scene.Scene) []string {
	var names []string
	if s == nil {
		return nil
	}
	for _, i := range s.At(0).Shown {
		if l := s.Nodes[i].Light; l != scene.None && !slices.Contains(names, s.Lights[l].Name) {
			names = append(names, s.Lights[l].Name)
		}
	}
	return names
}

// Sources returns the names of the lights of a scene, and of its objects that glow.
func Sources(s *scene.Scene) []string {
	names := Lights(s)
	if s == nil {
		return nil
	}
	for _, i := range s.At(0).Shown {
		n := s.Nodes[i]
		if n.Mesh == scene.None || slices.Contains(names, n.Name) {
			continue
		}
		if slices.ContainsFunc(s.Meshes[n.Mesh].Parts, func(p scene.Part) bool {
			return p.Material != scene.None && s.Materials[p.Material].Emission.Max() > 0
		}) {
			names = append(names, n.Name)
		}
	}
	return names
}

func number(v float64) string { return strconv.FormatFloat(math.Round(v*100)/100, 'f', -1, 64) }

func lensOf(v production.View, s *scene.Scene) string {
	if s == nil || s.Unread {
		return "–"
	}
	source, err := camera.SourceOf(s, v.Camera)
	if err != nil {
		return "–"
	}
	if v.Setup.Panorama {
		return "all around"
	}
	c := source.Optics
	if v.Setup.Motion != nil {
		v.Setup = v.Setup.At(float64(v.Setup.Motion.Keys[0].Frame))
	}
	if high := v.Setup.Of(geom.Identity(), c).Camera.Height; high > 0 {
		return number(high) + " m up"
	}
	text := strconv.FormatFloat(v.Setup.FocalOf(c), 'f', 1, 64) + " mm"
	if v.Setup.ShiftAcross != 0 || v.Setup.ShiftUp != 0 {
		text += ", shifted"
	}
	return text
}

func focusOf(v production.View) string {
	if v.Setup.FNumber == 0 {
		return "all sharp"
	}
	return "f/" + number(v.Setup.FNumber) + " at " + number(v.Setup.Focus) + " m"
}

func lightsOn(l look.Look, lights []string) Fact {
	var off []string
	for _, name := range lights {
		if !l.Burns(name) {
			off = append(off, name)
		}
	}
	switch {
	case len(lights) == 0:
		return Fact{Text: "none there"}
	case len(off) == 0:
		return Fact{Text: fmt.Sprintf("all %d", len(lights))}
	case len(off) == len(lights):
		return Fact{Text: "none"}
	}
	return Fact{
		Text: fmt.Sprintf("%d of %d", len(lights)-len(off), len(lights)),
		More: "off: " + strings.Join(off, ", "),
	}
}

func environmentOf(l look.Look) string {
	e := l.Environment
	if e.Map == "" {
		return "sky"
	}
	text := e.Map
	if e.TurnDegrees != 0 {
		text += fmt.Sprintf(", turned %s°", number(e.TurnDegrees))
	}
	if e.Factor() != 1 {
		text += fmt.Sprintf(", × %s", number(e.Factor()))
	}
	return text
}

func backgroundOf(b look.Background) string {
	if b.Kind == look.PlainColour {
		return b.Colour
	}
	return string(b.Kind)
}

func exposureOf(v production.View, l look.Look, p production.Production) string {
	gain, own := v.Setup.Gain(p.Rate.PerSecond())
	if !own {
		return fmt.Sprintf("%+.2f EV", l.ExposureEV)
	}
	if v.Setup.Exposure == camera.ByLens {
		return fmt.Sprintf("%+.2f EV, by the lens", math.Log2(gain))
	}
	return fmt.Sprintf("%+.2f EV, fixed", math.Log2(gain))
}

// sizesOf lists in which sizes the shots of a view are rendered.
func sizesOf(p production.Production, v production.View) Fact {
	var sizes, shots []string
	for _, s := range p.Shots {
		if s.View != v.Code {
			continue
		}
		shots = append(shots, s.Code)
		for _, size := range s.Sizes {
			if !slices.Contains(sizes, size) {
				sizes = append(sizes, size)
			}
		}
	}
	if len(shots) == 0 {
		return Fact{Text: "in no shot"}
	}
	return Fact{Text: strings.Join(sizes, ", "), More: "shot " + strings.Join(shots, ", ")}
}

func lockOf(v production.View) string {
	if v.Setup.Locked {
		return "locked"
	}
	return "free"
}

// mark finds in each column what most views have, and marks the others.
func (s *Sheet) mark() {
	if len(s.Rows) < 3 {
		return
	}
	for c, name := range Columns() {
		if slices.Contains(own, name) {
			continue
		}
		counts := map[string]int{}
		for _, r := range s.Rows {
			counts[r.Facts[c].Text]++
		}
		for text, n := range counts {
			if 2*n <= len(s.Rows) {
				continue
			}
			for i := range s.Rows {
				if f := &s.Rows[i].Facts[c]; f.Text != text {
					f.Common = text
				}
			}
		}
	}
}

// odd points at what is not as in the other views.
func (s *Sheet) odd(p production.Production, of *scene.Scene, lights []string) {
	say := func(format string, args ...any) { s.Odd = append(s.Odd, fmt.Sprintf(format, args...)) }
	for _, r := range s.Rows {
		for _, name := range r.View.Cameras() {
			if of == nil {
				break
			}
			if _, err := camera.SourceOf(of, name); err != nil {
				say("View %s looks through %s, which is not in the scene.", r.View.Code, name)
			}
		}
	}
	for _, name := range lights {
		var on []string
		for _, r := range s.Rows {
			if l, ok := p.FindLook(r.View.Look); ok && l.Burns(name) {
				on = append(on, r.View.Code)
			}
		}
		switch {
		case len(on) == 1 && len(s.Rows) > 2:
			say("Light %s is on in view %s only.", name, on[0])
		case len(on) == 0 && len(s.Rows) > 0:
			say("Light %s is on in no view.", name)
		}
	}
	for _, l := range p.Looks {
		if odd := OddLook(p, l); odd != "" {
			say("Look %s: %s.", l.Code, odd)
		}
	}
	for _, e := range p.Environments {
		if !slices.ContainsFunc(p.Looks, func(l look.Look) bool { return l.Environment.Map == e.Code }) {
			say("Environment %s is in no look.", e.Code)
		}
	}
	s.unlike(p, say)
}

// unlike points at pairs of views that have one look, and one of which is exposed otherwise.
func (s *Sheet) unlike(p production.Production, say func(string, ...any)) {
	exposure := slices.Index(Columns(), "Exposure")
	first := map[string]Row{}
	for _, r := range s.Rows {
		f, seen := first[r.View.Look]
		if !seen {
			first[r.View.Look] = r
			continue
		}
		if a, b := f.Facts[exposure].Text, r.Facts[exposure].Text; a != b {
			say(
				"Views %s and %s have the look %s, and one is exposed at %s, the other at %s.", f.View.Code,
				r.View.Code, r.View.Look, a, b,
			)
		}
	}
}

// OddLook says what is strange about a look, "" for nothing.
func OddLook(p production.Production, l look.Look) string {
	if !slices.ContainsFunc(p.Views, func(v production.View) bool { return v.Look == l.Code }) {
		return "no view uses it"
	}
	if base, ok := p.FindLook(l.Base); ok && len(look.Differences(base, l)) == 0 {
		return "says nothing else than " + base.Name
	}
	return ""
}
