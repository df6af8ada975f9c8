package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/production"
	"reelhouse/core/viewsheet"
)

func lookAt(p *production.Production, code string) (int, error) {
	return at("look", code, p.Looks, func(l look.Look) string { return l.Code })
}

// CopyLook adds a look that is based on another one.
type CopyLook struct {
	Look string `json:"look" role:"of"`
}

func (CopyLook) Name() string    { return "look.copy" }
func (c CopyLook) Part() string  { return "look " + c.Look }
func (c CopyLook) words() string { return "new look based on " + c.Look }

func (c CopyLook) apply(p *production.Production, _ Known) error {
	i, err := lookAt(p, c.Look)
	if err != nil {
		return err
	}
	l := p.Looks[i].Clone()
	l.Base, l.Name = c.Look, l.Name+" (copy)"
	l.Code = free(c.Look+"_", 2, func(code string) bool { _, ok := p.FindLook(code); return ok })
	p.Looks = slices.Insert(p.Looks, i+1, l)
	return nil
}

// RemoveLook removes a look that no view has. Looks that are based on it are based on its base.
type RemoveLook struct {
	Look string `json:"look" role:"of"`
}

func (RemoveLook) Name() string   { return "look.remove" }
func (c RemoveLook) Part() string { return "look " + c.Look }

func (c RemoveLook) apply(p *production.Production, _ Known) error {
	i, err := lookAt(p, c.Look)
	if err != nil {
		return err
	}
	for _, v := range p.Views {
		if v.Look == c.Look {
			return fmt.Errorf("view %s uses this look; choose another there first", v.Code)
		}
	}
	if err := unused(p, "look", func(s production.Shot) bool { return s.Look == c.Look }); err != nil {
		return err
	}
	if len(p.Looks) == 1 {
		return fmt.Errorf("a production needs a look")
	}
	base := p.Looks[i].Base
	for k := range p.Looks {
		if p.Looks[k].Base == c.Look {
			p.Looks[k].Base = base
		}
	}
	p.Looks = slices.Delete(p.Looks, i, i+1)
	return nil
}

// SetLook changes a look. Looks that are based on it follow where they do not override it.
type SetLook struct {
	Look  string  `json:"look" role:"of"`
	Code  *string `json:"code,omitempty"`
	Title *string `json:"name,omitempty"`

	Exposure   *float64 `json:"exposure,omitempty" unit:"EV"`
	Azimuth    *float64 `json:"sunAzimuth,omitempty" label:"sun azimuth" unit:"°"`
	Elevation  *float64 `json:"sunElevation,omitempty" label:"sun elevation" unit:"°"`
	Size       *float64 `json:"sunSize,omitempty" label:"sun angular size" unit:"°"`
	Haze       *float64 `json:"haze,omitempty" unit:"m"`
	Multiplier *float64 `json:"lightMultiplier,omitempty" label:"light multiplier"`

	Zenith           *string  `json:"zenith,omitempty" label:"sky overhead"` // colours as #rrggbb
	Horizon          *string  `json:"horizon,omitempty" label:"sky at the horizon"`
	Ground           *string  `json:"ground,omitempty" label:"light from below"`
	Glow             *string  `json:"glow,omitempty" label:"glow around the sun"`
	Sun              *string  `json:"sun,omitempty"`
	ZenithIntensity  *float64 `json:"zenithIntensity,omitempty" label:"intensity of the sky overhead"`
	HorizonIntensity *float64 `json:"horizonIntensity,omitempty" label:"intensity at the horizon"`
	GroundIntensity  *float64 `json:"groundIntensity,omitempty" label:"intensity from below"`
	GlowIntensity    *float64 `json:"glowIntensity,omitempty" label:"intensity of the glow"`
	SunIntensity     *float64 `json:"sunIntensity,omitempty" label:"sun intensity"`

	Environment          *string  `json:"environment,omitempty"`
	EnvironmentRotation  *float64 `json:"environmentRotation,omitempty" label:"environment rotation" unit:"°"`
	EnvironmentIntensity *float64 `json:"environmentIntensity,omitempty" label:"environment intensity"`
	Background           *string  `json:"background,omitempty"`
	BackgroundColour     *string  `json:"backgroundColour,omitempty" label:"background colour"`

	// Lights are those that are on, by name; all others of the scene are off.
	Lights         *[]string `json:"lights,omitempty" label:"lights on"`
	LightChanges   *string   `json:"lightChanges,omitempty" label:"light by light"` // as look.ReadLights
	Variant        *string   `json:"variant,omitempty" label:"material variant"`
	Textures       *string   `json:"textures,omitempty"` // as look.ReadTextures
	Hidden         *string   `json:"hidden,omitempty"`   // names with commas between, as the others
	Shown          *string   `json:"shown,omitempty"`
	HiddenFromCam  *string   `json:"hiddenFromCamera,omitempty" label:"hidden from camera"`
	Holdouts       *string   `json:"holdouts,omitempty" label:"holdout"`
	Clay           *string   `json:"clay,omitempty"`
	ShadowCatchers *string   `json:"shadowCatchers,omitempty" label:"shadow catcher"`
	LeastSamples   *number   `json:"leastSamples,omitempty" label:"least samples"`
}

func (SetLook) Name() string   { return "look.set" }
func (c SetLook) Part() string { return "look " + c.Look }

func (c SetLook) needs(p production.Production) Needs {
	if c.Lights == nil {
		return Needs{}
	}
	return needScene(p)
}

func (c SetLook) apply(p *production.Production, k Known) error {
	i, err := lookAt(p, c.Look)
	if err != nil {
		return err
	}
	before := p.Looks[i].Clone()
	l := &p.Looks[i]
	if err := first(c.light(l), c.surroundings(l), c.objects(p, k, l)); err != nil {
		return err
	}
	follow(p, before, *l)
	return first(
		to(&l.Name, c.Title),
		with("code", c.Code, func(code string) error { renameLook(p, i, code); return nil }),
	)
}

func (c SetLook) light(l *look.Look) error {
	colour := func(field string, given *string, intensity *float64, place *geom.Vec) error {
		return first(
			with(field, given, func(hue string) error {
				strength := place.Max()
				if strength <= 0 {
					strength = 1
				}
				v, err := look.Light(hue, strength)
				if err == nil {
					*place = v
				}
				return err
			}),
			with(field+"Intensity", intensity, func(strength float64) error {
				if strength < 0 {
					return fmt.Errorf("%v is not an intensity of 0 or more", strength)
				}
				if strength == 0 {
					*place = geom.Vec{}
					return nil
				}
				v, err := look.Light(look.Hue(*place), strength)
				if err == nil {
					*place = v
				}
				return err
			}),
		)
	}
	return first(
		to(&l.ExposureEV, c.Exposure), to(&l.Sun.AzimuthDegrees, c.Azimuth), to(&l.Sun.ElevationDegrees, c.Elevation),
		to(&l.Sun.SizeDegrees, c.Size), to(&l.Haze.Metres, c.Haze), to(&l.LightGain, c.Multiplier),
		colour("zenith", c.Zenith, c.ZenithIntensity, &l.Sky.Zenith),
		colour("horizon", c.Horizon, c.HorizonIntensity, &l.Sky.Horizon),
		colour("ground", c.Ground, c.GroundIntensity, &l.Sky.Ground),
		colour("glow", c.Glow, c.GlowIntensity, &l.Sky.Glow), colour("sun", c.Sun, c.SunIntensity, &l.Sun.Irradiance),
	)
}

func (c SetLook) surroundings(l *look.Look) error {
	return first(
		to(&l.Environment.Map, c.Environment),
		to(&l.Environment.TurnDegrees, c.EnvironmentRotation),
		to(&l.Environment.Strength, c.EnvironmentIntensity),
		with("background", c.Background, func(kind string) error {
			l.Background = look.Background{Kind: look.BackgroundKind(kind)}
			if l.Background.Kind == look.PlainColour {
				l.Background.Colour = "#808080"
			}
			return nil
		}),
		with("backgroundColour", c.BackgroundColour, func(colour string) error {
			l.Background = look.Background{Kind: look.PlainColour, Colour: colour}
			return nil
		}),
	)
}

func (c SetLook) objects(p *production.Production, k Known, l *look.Look) error {
	list := func(place *[]string, text *string) error {
		if text != nil {
			*place = commas(*text)
		}
		return nil
	}
	return first(
		with("lights", c.Lights, func(on []string) error {
			s, err := k.scene(p)
			if err != nil {
				return err
			}
			l.LightsOff = nil
			for _, name := range viewsheet.Lights(s) {
				if !slices.Contains(on, name) {
					l.LightsOff = append(l.LightsOff, name)
				}
			}
			return nil
		}),
		with("lightChanges", c.LightChanges, func(text string) (err error) {
			l.Lights, err = look.ReadLights(text)
			return err
		}),
		to(&l.Variant, c.Variant),
		with("textures", c.Textures, func(text string) (err error) {
			l.Textures, err = look.ReadTextures(text)
			return err
		}),
		list(&l.Hidden, c.Hidden),
		list(&l.Shown, c.Shown),
		list(&l.Unseen, c.HiddenFromCam),
		list(&l.Holdouts, c.Holdouts),
		list(&l.Clay, c.Clay),
		list(&l.ShadowCatchers, c.ShadowCatchers),
		with("leastSamples", c.LeastSamples, func(n number) error { return whole(&l.LeastSamples, n) }),
	)
}

// commas reads names with commas between.
func commas(text string) []string {
	var all []string
	for _, n := range strings.Split(text, ",") {
		if n = strings.TrimSpace(n); n != "" {
			all = append(all, n)
		}
	}
	return all
}

// SetLookLight changes one light of the scene in a look: how many times as bright it is, and its colour. Empty values
// stand for the scene's.
type SetLookLight struct {
	Look   string  `json:"look" role:"of"`
	Light  string  `json:"light"`
	Times  *number `json:"times,omitempty" label:"intensity"`
	Colour *string `json:"colour,omitempty"` // as #rrggbb
}

func (SetLookLight) Name() string    { return "look-light.set" }
func (c SetLookLight) Part() string  { return "look light " + c.Look + " " + c.Light }
func (c SetLookLight) words() string { return "look " + c.Look + ": light " + c.Light }

func (c SetLookLight) apply(p *production.Production, _ Known) error {
	i, err := lookAt(p, c.Look)
	if err != nil {
		return err
	}
	if c.Light == "" {
		return fmt.Errorf("say which light")
	}
	before := p.Looks[i].Clone()
	l := &p.Looks[i]
	change := look.LightChange{Name: c.Light}
	at := slices.IndexFunc(l.Lights, func(o look.LightChange) bool { return o.Name == c.Light })
	if at >= 0 {
		change = l.Lights[at]
	}
	if err := first(toNumber(&change.Times, c.Times), to(&change.Colour, c.Colour)); err != nil {
		return err
	}
	l.Lights = slices.DeleteFunc(slices.Clone(l.Lights), func(o look.LightChange) bool { return o.Name == c.Light })
	if change != (look.LightChange{Name: c.Light}) {
		l.Lights = append(l.Lights, change)
	}
	if err := l.Check(); err != nil {
		return err
	}
	follow(p, before, *l)
	return nil
}

// IsolateObject hides everything but an object, and what hangs below it, in a look; "" shows everything again.
type IsolateObject struct {
	Look   string `json:"look" role:"of"`
	Object string `json:"object" role:"value"`
}

func (IsolateObject) Name() string   { return "look.isolate" }
func (c IsolateObject) Part() string { return "look " + c.Look }
func (c IsolateObject) words() string {
	if c.Object == "" {
		return "look " + c.Look + ": show everything"
	}
	return "look " + c.Look + ": isolate " + c.Object
}

func (c IsolateObject) apply(p *production.Production, _ Known) error {
	i, err := lookAt(p, c.Look)
	if err != nil {
		return err
	}
	before := p.Looks[i].Clone()
	l := &p.Looks[i]
	if l.Hidden, l.Shown = nil, nil; c.Object != "" {
		l.Hidden, l.Shown = []string{"*"}, []string{c.Object}
	}
	follow(p, before, *l)
	return nil
}

// renameLook gives a look another code, wherever that is named.
func renameLook(p *production.Production, i int, code string) {
	was := p.Looks[i].Code
	for k := range p.Views {
		if p.Views[k].Look == was {
			p.Views[k].Look = code
		}
	}
	for k := range p.Rigs {
		if p.Rigs[k].Look == was {
			p.Rigs[k].Look = code
		}
	}
	for k := range p.Shots {
		if p.Shots[k].Look == was {
			p.Shots[k].Look = code
		}
	}
	for k := range p.Looks {
		if p.Looks[k].Base == was {
			p.Looks[k].Base = code
		}
	}
	p.Looks[i].Code = code
}

// follow changes the looks that are based on one that has changed, and those that are based on them. A look that is
// based on itself by way of others is changed once.
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

// ResetLook takes one value of a look from its base again.
type ResetLook struct {
	Look  string `json:"look" role:"of"`
	Field string `json:"field" role:"value"` // as look.Differences names it
}

func (ResetLook) Name() string    { return "look.reset" }
func (c ResetLook) Part() string  { return "look " + c.Look }
func (c ResetLook) words() string { return "look " + c.Look + ": reset " + c.Field }

func (c ResetLook) apply(p *production.Production, _ Known) error {
	i, err := lookAt(p, c.Look)
	if err != nil {
		return err
	}
	base, ok := p.FindLook(p.Looks[i].Base)
	if !ok {
		return fmt.Errorf("it is based on no other look")
	}
	before := p.Looks[i].Clone()
	if err := p.Looks[i].Reset(c.Field, base); err != nil {
		return err
	}
	follow(p, before, p.Looks[i])
	return nil
}
