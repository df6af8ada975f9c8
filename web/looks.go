package web

import (
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
		{"hiddenFromCamera", "Hidden from camera", "their shadows and reflections stay", &l.Unseen},
		{"holdouts", "Holdout", "they cut a hole into what lies behind", &l.Holdouts},
		{"clay", "Clay", "even grey, whatever their materials", &l.Clay},
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
	o := &openLook{
		laidLook:  laid,
		Frame:     p.FirstFrame,
		Ground:    l.Over(p.Picture.Background),
		OwnGround: l.Background != look.Background{},
		Grounds:   grounds(),
	}
	if base, ok := p.FindLook(l.Base); ok {
		o.BaseName = base.Name
	}
	colours, numbers := lookColours(&l), lookNumbers(&l)
	for _, c := range []struct{ key, name string }{{"zenith", "Sky overhead"}, {"horizon", "Sky at the horizon"},
		{"ground", "Light from below"}, {"sun", "Sun"}, {"glow", "Glow around the sun"}} {
		o.Colours = append(o.Colours, lookColour{c.key, c.name, look.Hue(*colours[c.key]), colours[c.key].Max()})
	}
	for _, n := range []struct{ key, name string }{
		{"exposure", "Exposure, EV"}, {"sunAzimuth", "Sun azimuth, ° from north"}, {"sunElevation", "Sun elevation, °"},
		{"sunSize", "Sun angular size, °"},
		{"haze", "Haze, m; 0 for clear air"}, {"lightMultiplier", "Light multiplier"},
	} {
		o.Numbers = append(o.Numbers, lookNumber{n.key, n.name, *numbers[n.key]})
	}
	for _, name := range viewsheet.Lights(s) {
		o.Lights = append(o.Lights, lookLight{name, l.Burns(name)})
	}
	for _, r := range lookRoles(&l) {
		o.Lists = append(
			o.Lists, lookList{r.key, r.name, r.help, strings.Join(*r.list, ", "), look.Answering(s, *r.list)},
		)
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
