package web

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/core/viewsheet"
)

type laidLook struct {
	look.Look
	UsedBy int
	Lines  []look.Difference // in which it is not as its base
}

// An openLook is a look that is being changed.
type openLook struct {
	laidLook
	BaseName  string
	Colours   []lookColour
	Numbers   []lookNumber
	Lights    []lookLight
	Lists     []lookList
	Ground    look.Background // its own, or that of the production
	OwnGround bool
	Grounds   []option
	Preview   string
	Frame     int
}

type lookColour struct {
	Key, Name, Hue string
	Strength       float64
}

type lookNumber struct {
	Key, Name string
	Value     float64
}

// A lookList is names of objects that have a role.
type lookList struct {
	Key, Name, Help, Value string
	Objects                int // that answer to them
}

type lookLight struct {
	Name string
	On   bool
}

// colours of a look, by the names of their fields.
func lookColours(l *look.Look) map[string]*geom.Vec {
	return map[string]*geom.Vec{"zenith": &l.Sky.Zenith, "horizon": &l.Sky.Horizon, "ground": &l.Sky.Ground, "glow": &l.Sky.Glow, "sun": &l.Sun.Irradiance}
}

func lookNumbers(l *look.Look) map[string]*float64 {
	return map[string]*float64{
		"exposure": &l.ExposureEV, "azimuth": &l.Sun.AzimuthDegrees, "elevation": &l.Sun.ElevationDegrees, "disc": &l.Sun.SizeDegrees, "haze": &l.Haze.Metres, "gain": &l.LightGain,
		"environmentTurn": &l.Environment.TurnDegrees, "environmentStrength": &l.Environment.Strength,
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
		{"unseen", "Hidden from the camera", "their shadows and reflections stay", &l.Unseen},
		{"holdouts", "Matte only", "they cut a hole into what lies behind", &l.Holdouts},
		{"clay", "Of clay", "even grey, whatever their materials", &l.Clay},
		{"shadowCatchers", "Shadow catchers", "nothing is seen of them but the shadow on them", &l.ShadowCatchers},
	}
}

// laidLooks lists the looks, with what stands out.
func laidLooks(p production.Production) []laidLook {
	var all []laidLook
	for _, l := range p.Looks {
		out := laidLook{Look: l}
		for _, v := range p.Views {
			if v.Look == l.Code {
				out.UsedBy++
			}
		}
		if base, ok := p.FindLook(l.Base); ok {
			out.Lines = look.Differences(base, l)
		}
		all = append(all, out)
	}
	return all
}

func openedLook(p production.Production, laid laidLook, s *scene.Scene) *openLook {
	l := laid.Look
	o := &openLook{laidLook: laid, Frame: p.FirstFrame, Ground: l.Over(p.Picture.Background), OwnGround: l.Background != look.Background{}, Grounds: grounds()}
	if base, ok := p.FindLook(l.Base); ok {
		o.BaseName = base.Name
	}
	colours, numbers := lookColours(&l), lookNumbers(&l)
	for _, c := range []struct{ key, name string }{{"zenith", "Sky overhead"}, {"horizon", "Sky at the horizon"}, {"ground", "Light from below"}, {"sun", "Sun"}, {"glow", "Glow round the sun"}} {
		o.Colours = append(o.Colours, lookColour{c.key, c.name, look.Hue(*colours[c.key]), colours[c.key].Max()})
	}
	for _, n := range []struct{ key, name string }{
		{"exposure", "Exposure, EV"}, {"azimuth", "Sun's direction, ° from north"}, {"elevation", "Sun's height, °"}, {"disc", "Sun's width, °"}, {"haze", "Haze, m; 0 for clear air"}, {"gain", "Scene's lights, times"},
	} {
		o.Numbers = append(o.Numbers, lookNumber{n.key, n.name, *numbers[n.key]})
	}
	for _, name := range viewsheet.Lights(s) {
		o.Lights = append(o.Lights, lookLight{name, l.Burns(name)})
	}
	for _, r := range lookRoles(&l) {
		o.Lists = append(o.Lists, lookList{r.key, r.name, r.help, strings.Join(*r.list, ", "), look.Answering(s, *r.list)})
	}
	// A view that uses it, or else the first.
	for i, v := range p.Views {
		if i == 0 || v.Look == l.Code && o.Preview == p.Views[0].Code {
			o.Preview = v.Code
		}
	}
	for _, shot := range p.Shots {
		if shot.Shows(o.Preview) && !shot.Frames.Empty() {
			o.Frame = shot.Frames.At(shot.Frames.Count() / 2)
		}
	}
	return o
}

// look applies an edit of a look. Looks that build on it follow.
func (e edit) look(p *production.Production) error {
	i, err := at(e, p.Looks, func(l look.Look) string { return l.Code })
	if err != nil {
		return err
	}
	before := p.Looks[i]
	before = before.Clone()
	l := &p.Looks[i]
	switch e.field {
	case "copy":
		c := before.Clone()
		c.Base, c.Name = before.Code, before.Name+" (copy)"
		c.Code = fresh(before.Code+"_", 1, func(code string) bool { _, ok := p.FindLook(code); return ok })
		p.Looks = slices.Insert(p.Looks, i+1, c)
		return nil
	case "remove":
		for _, v := range p.Views {
			if v.Look == l.Code {
				return fmt.Errorf("view %s uses this look; choose another there first", v.Code)
			}
		}
		if len(p.Looks) == 1 {
			return fmt.Errorf("a production needs a look")
		}
		for k := range p.Looks {
			if p.Looks[k].Base == before.Code {
				p.Looks[k].Base = before.Base
			}
		}
		p.Looks = slices.Delete(p.Looks, i, i+1)
		return nil
	case "code":
		for k := range p.Views {
			if p.Views[k].Look == l.Code {
				p.Views[k].Look = e.value
			}
		}
		for k := range p.Looks {
			if p.Looks[k].Base == before.Code {
				p.Looks[k].Base = e.value
			}
		}
		l.Code = e.value
		return nil
	case "name":
		l.Name = e.value
		return nil
	}
	if err := e.lookLine(p, l); err != nil {
		return err
	}
	follow(p, before, *l)
	return nil
}

// lookLine changes one thing that a look says.
func (e edit) lookLine(p *production.Production, l *look.Look) error {
	if to := lookNumbers(l)[e.field]; to != nil {
		v, err := e.decimal("")
		if err == nil {
			*to = v
		}
		return err
	}
	if to := lookColours(l)[e.field]; to != nil {
		strength := to.Max()
		if strength <= 0 {
			strength = 1
		}
		v, err := look.Light(e.value, strength)
		if err == nil {
			*to = v
		}
		return err
	}
	if key, ok := strings.CutSuffix(e.field, "Strength"); ok && lookColours(l)[key] != nil {
		to := lookColours(l)[key]
		v, err := e.decimal("")
		if err != nil || v < 0 {
			return fmt.Errorf("%q is not a strength of 0 or more", e.value)
		}
		if *to, err = look.Light(look.Hue(*to), v); v > 0 {
			return err
		}
		*to = geom.Vec{}
		return nil
	}
	switch e.field {
	case "reset":
		base, ok := p.FindLook(l.Base)
		if !ok {
			return fmt.Errorf("it builds on no other look")
		}
		return l.Reset(e.value, base)
	case "lights":
		s, err := e.stage(p)
		if err != nil {
			return err
		}
		l.LightsOff = nil
		for _, name := range viewsheet.Lights(s) {
			if !slices.Contains(e.values, name) {
				l.LightsOff = append(l.LightsOff, name)
			}
		}
		return nil
	case "environment":
		l.Environment.Map = e.value
		return nil
	case "background":
		l.Background = look.Background{Kind: look.BackgroundKind(e.value)}
		if l.Background.Kind == look.PlainColour {
			l.Background.Colour = "#808080"
		}
		return nil
	case "backgroundColour":
		l.Background = look.Background{Kind: look.PlainColour, Colour: e.value}
		return nil
	case "samples":
		if e.value == "" {
			e.value = "0"
		}
		n, err := e.number()
		l.LeastSamples = n
		return err
	}
	for _, r := range lookRoles(l) {
		if r.key != e.field {
			continue
		}
		*r.list = names(e.value)
		return nil
	}
	return errChoice
}

// follow changes the looks that build on one that has changed, and those that build on them. A look that builds on itself by way of others
// is changed once.
func follow(p *production.Production, before, after look.Look) {
	changed := map[string]bool{before.Code: true}
	var spread func(before, after look.Look)
	spread = func(before, after look.Look) {
		for i := range p.Looks {
			if child := p.Looks[i]; child.Base == before.Code && !changed[child.Code] {
				changed[child.Code] = true
				p.Looks[i] = child.Follow(before, after)
				spread(child, p.Looks[i])
			}
		}
	}
	spread(before, after)
}
