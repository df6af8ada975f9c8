package views

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"reelhouse/web/kit"

	"reelhouse/core/edit"
	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/core/viewsheet"
)

// A laidLook is a look as a line of the table.
type laidLook struct {
	look.Look
	Opened    bool
	UsedBy    int
	Lines     []look.Difference // in which it is not as its base
	CodeField kit.Field
	Title     kit.Field
	Copy      kit.Action
	Remove    kit.Action
	Wrong     string
}

// Overrides says in what it is not as its base.
func (l laidLook) Overrides() string {
	var names []string
	for _, line := range l.Lines {
		names = append(names, line.Name)
	}
	switch {
	case l.Base == "":
		return "all of it"
	case len(names) == 0:
		return "nothing"
	}
	return strings.Join(names, ", ")
}

// An openLook is a look that is being changed.
type openLook struct {
	laidLook
	BaseName   string
	Overridden []overriddenLine
	Numbers    []kit.Field
	Colours    []lookColour
	Lights     kit.Ticks
	Surround   []kit.Field // environment and background
	Colour     *kit.Field  // of a plain background
	NoMaps     bool        // there is no environment to choose
	Lists      []lookList
	Isolate    kit.Field
	ShowAll    *kit.Action // where something is isolated
	LightRows  []lookLight
	Dress      []kit.Field // material variant and textures
	Variants   []string    // of the scene
	Preview    string      // code of the view whose picture is shown, "" for none
	Live       string      // address of the picture
	Frame      int
	Wrong      []string
}

// An overriddenLine is one thing in which a look is not as its base.
type overriddenLine struct {
	look.Difference
	Reset kit.Action
}

// A lookColour is a light of the sky, with its colour and how much of it there is.
type lookColour struct {
	Name      string
	Hue       kit.Field
	Intensity kit.Field
}

// A lookLight is a light of the scene in a look.
type lookLight struct {
	Name   string
	Times  kit.Field
	Colour kit.Field
}

// lightRows returns what is edited of the scene's lights, one by one.
func lightRows(v *kit.View, l look.Look, s *scene.Scene) []lookLight {
	var rows []lookLight
	seen := map[string]bool{}
	for _, light := range s.Lights {
		if seen[light.Name] || len(rows) == mostLightRows {
			continue
		}
		seen[light.Name] = true
		change := look.LightChange{Name: light.Name}
		for _, c := range l.Lights {
			if c.Name == light.Name {
				change = c
			}
		}
		hue := change.Colour
		if hue == "" {
			hue = look.Hue(light.Color)
		}
		part := v.Part("look-light", l.Code).At(edit.SetLookLight{Look: l.Code, Light: light.Name}.Part())
		field := func(name, label, value string) kit.Field {
			f := part.Field(name, label+" of "+light.Name, value)
			f.ID, f.Edit = "light-"+light.Name+"-"+name, f.Edit.Setting("light", light.Name)
			return f
		}
		rows = append(rows, lookLight{
			light.Name, field("times", "Intensity", kit.Some(change.Times)).Number(4).Or("1"),
			field("colour", "Colour", hue),
		})
	}
	return rows
}

// mostLightRows is how many lights are listed one by one.
const mostLightRows = 60

// A lookList is names of objects that have a role.
type lookList struct {
	Names   kit.Field
	Help    string
	Objects int // that answer to them
}

// colours of a look, by the names of their fields.
func lookColours(l *look.Look) map[string]*geom.Vec {
	return map[string]*geom.Vec{
		"zenith": &l.Sky.Zenith, "horizon": &l.Sky.Horizon, "ground": &l.Sky.Ground, "glow": &l.Sky.Glow,
		"sun": &l.Sun.Irradiance,
	}
}

func lookNumbers(l *look.Look) map[string]*float64 {
	return map[string]*float64{
		"exposure": &l.ExposureEV, "sunAzimuth": &l.Sun.AzimuthDegrees, "sunElevation": &l.Sun.ElevationDegrees,
		"sunSize": &l.Sun.SizeDegrees, "haze": &l.Haze.Metres, "lightMultiplier": &l.LightGain,
	}
}

// A roleOf is one of the lists of objects that a look has.
type roleOf struct {
	key, name, help string
	list            *[]string
}

func lookRoles(l *look.Look) []roleOf {
	return []roleOf{
		{"hidden", "Hidden", "not there at all", &l.Hidden},
		{"shown", "Shown", "there though hidden above", &l.Shown},
		{"hiddenFromCamera", "Hidden from camera", "their shadows and reflections stay", &l.Unseen},
		{"holdouts", "Holdout", "they cut a hole into what lies behind", &l.Holdouts},
		{"clay", "Clay", "even grey, whatever their materials", &l.Clay},
		{"shadowCatchers", "Shadow catchers", "nothing is seen of them but the shadow on them", &l.ShadowCatchers},
	}
}

// laidLooks lists the looks, with what stands out.
func laidLooks(v *kit.View) []laidLook {
	p := v.Production
	var all []laidLook
	for _, l := range p.Looks {
		part := v.Part("look", l.Code)
		out := laidLook{
			Look:      l,
			CodeField: part.Field("code", "Code", l.Code).Styled("mono font-bold", 9),
			Title:     part.Field("name", "Name", l.Name),
			Copy:      part.Action("copy", "New look based on it", "A new look that follows this one"),
			Remove:    part.Action("remove", "Remove", "Remove this look"),
			Wrong:     part.Wrong("remove"),
		}
		for _, w := range p.Views {
			out.UsedBy += kit.OneIf(w.Look == l.Code)
		}
		if base, ok := p.FindLook(l.Base); ok {
			out.Lines = look.Differences(base, l)
		}
		all = append(all, out)
	}
	return all
}

// openedLook returns a look with everything that is edited of it.
func openedLook(v *kit.View, laid laidLook, s *scene.Scene) *openLook {
	p, l, part := v.Production.Production, laid.Look, v.Part("look", laid.Code)
	o := &openLook{laidLook: laid, Frame: p.FirstFrame}
	if base, ok := p.FindLook(l.Base); ok {
		o.BaseName = base.Name
	}
	for _, line := range laid.Lines {
		reset := part.Action("reset", "Reset", "As in the look that it is based on: "+line.Base).With(line.Key)
		o.Overridden = append(o.Overridden, overriddenLine{line, reset})
	}
	colours, numbers := lookColours(&l), lookNumbers(&l)
	for _, c := range []struct{ key, name string }{{"zenith", "Sky overhead"}, {"horizon", "Sky at the horizon"},
		{"ground", "Light from below"}, {"sun", "Sun"}, {"glow", "Glow around the sun"}} {
		o.Colours = append(o.Colours, lookColour{
			Name: c.name,
			Hue:  part.Field(c.key, "Colour: "+c.name, look.Hue(*colours[c.key])),
			Intensity: part.Field(c.key+"Intensity", "Intensity: "+c.name, fmt.Sprintf("%.4g", colours[c.key].Max())).
				Mono(0),
		})
	}
	for _, n := range []struct{ key, name string }{
		{"exposure", "Exposure, EV"}, {"sunAzimuth", "Sun azimuth, ° from north"}, {"sunElevation", "Sun elevation, °"},
		{"sunSize", "Sun angular size, °"},
		{"haze", "Haze, m; 0 for clear air"}, {"lightMultiplier", "Light multiplier"},
	} {
		o.Numbers = append(o.Numbers, part.Field(n.key, n.name, kit.Number(*numbers[n.key])).Mono(0))
	}
	var lights []kit.Choice
	for _, name := range viewsheet.Lights(s) {
		lights = append(lights, kit.Choice{Value: name, On: l.Burns(name)})
	}
	o.LightRows = lightRows(v, l, s)
	o.Lights = part.Ticks("lights", "Scene lights that are on", lights)
	o.surround(p, part)
	for _, r := range lookRoles(&l) {
		names := part.Field(r.key, r.name, strings.Join(*r.list, ", ")).Mono(0)
		o.Lists = append(o.Lists, lookList{names, r.help, look.Answering(s, *r.list)})
	}
	var objects []kit.Option
	for _, name := range subjects(s) {
		objects = append(objects, kit.Option{Value: name, Text: name})
	}
	o.Isolate = part.Choice("isolate", "Isolate", "a subject …", objects).By("look.isolate", "object")
	if len(l.Hidden) == 1 && l.Hidden[0] == "*" {
		all := part.Action("isolate", "Show everything", "").With("")
		o.ShowAll = &all
	}
	o.Variants = s.Variants
	o.Dress = []kit.Field{
		part.Field("variant", "Material variant", l.Variant).Mono(0).Or("the file's own").Suggest("variants"),
		part.Field("textures", "Textures: image = the one instead", look.WriteTextures(l.Textures)).Mono(0).
			Or("label = label_(value:title)"),
	}
	o.picture(v)
	for _, field := range []string{"", "look", "reset", "copy"} {
		if message := part.Wrong(field); message != "" {
			o.Wrong = append(o.Wrong, message)
		}
	}
	return o
}

// surround fills in what stands around the scene, and what is seen behind it.
func (o *openLook) surround(p production.Production, part kit.Part) {
	maps := []kit.Option{{Value: "", Text: "the sky above"}}
	for _, e := range p.Environments {
		maps = append(maps, kit.Option{Value: e.Code, Text: e.Code})
	}
	o.NoMaps = len(p.Environments) == 0
	e, own := o.Environment, o.Background
	o.Surround = []kit.Field{part.Field("environment", "Environment", e.Map).Among(maps)}
	if e.Map != "" {
		o.Surround = append(o.Surround,
			part.Field("environmentRotation", "Rotation, °", kit.Number(e.TurnDegrees)).Mono(0),
			part.Field("environmentIntensity", "Intensity", kit.Number(e.Factor())).Mono(0))
	}
	kinds := append([]kit.Option{{Value: "", Text: "as in the standards"}}, kit.Backgrounds()...)
	o.Surround = append(o.Surround, part.Field("background", "Background", own.Kind).Among(kinds))
	if own.Kind == look.PlainColour {
		colour := part.Field("backgroundColour", "Background colour", o.Over(p.Picture.Background).Colour)
		o.Colour = &colour
	}
	least := part.Field("leastSamples", "Least samples per pixel, n × n",
		kit.Some(float64(o.LeastSamples)))
	o.Surround = append(o.Surround, least.Mono(0).Or("as the quality says"))
}

// picture chooses the view whose picture shows the look: one that uses it, or else the first.
func (o *openLook) picture(v *kit.View) {
	p := v.Production
	for i, w := range p.Views {
		if i == 0 || w.Look == o.Code && o.Preview == p.Views[0].Code {
			o.Preview = w.Code
		}
	}
	for _, shot := range p.Shots {
		if shot.Shows(o.Preview) && !shot.Frames.Empty() {
			o.Frame = shot.Frames.At(shot.Frames.Count() / 2)
		}
	}
	q := url.Values{
		"view": {o.Preview}, "look": {o.Code}, "frame": {strconv.Itoa(o.Frame)}, "seen": {strconv.Itoa(p.Number)},
	}
	o.Live = v.Path("preview?" + q.Encode())
}
