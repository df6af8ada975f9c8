package production

import (
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
)

// Standards are what a production agrees before it renders anything. A preset keeps them as a whole.
type Standards struct {
	Rate      frame.Rate `json:"rate"`
	DropFrame bool       `json:"dropFrame,omitempty"` // timecode keeps up with the clock (SMPTE ST 12-1)
	// FirstFrame is the frame at the scene's time 0; it bears the timecode FirstTimecode.
	FirstFrame    int             `json:"firstFrame"`
	FirstTimecode string          `json:"firstTimecode"` // HH:MM:SS:FF
	Handles       int             `json:"handles"`       // frames before and after every shot that moves
	Sizes         []raster.Named  `json:"sizes"`
	Qualities     []Quality       `json:"qualities"`
	Picture       Picture         `json:"picture"`
	LUTs          []LUTFile       `json:"luts,omitempty"`
	Floor         Floor           `json:"floor"`
	Outputs       []output.Output `json:"outputs"`
	Names         Names           `json:"names"`
}

// Picture is how light becomes numbers. Working light is linear with BT.709 primaries.
type Picture struct {
	Display    pixel.Curve     `json:"display"` // the one display encode, at the end
	Alpha      output.Alpha    `json:"alpha"`   // straight or premultiplied, where a format can do both
	Background look.Background `json:"background"`
	Viewing    pixel.Viewing   `json:"viewing,omitempty"` // through which light is looked at; it changes no file
	// Primaries are those of linear light in files; empty stands for BT.709.
	Primaries pixel.Primaries `json:"primaries,omitempty"`
}

// Agreed returns what outputs have that say nothing else.
func (s Standards) Agreed() output.Agreed {
	p := s.Picture
	a := output.Agreed{Alpha: p.Alpha, Display: p.Display, Primaries: p.Primaries, Viewing: p.Viewing}
	if f, ok := s.LUTOf(p.Viewing); ok {
		a.LUT = output.LUT{SHA256: f.SHA256, Input: f.Input}
	}
	return a
}

// Floor is the least that a delivery accepts; zeros ask for nothing.
type Floor struct {
	Width    int  `json:"width,omitempty"`  // pixels at full quality
	Height   int  `json:"height,omitempty"` // pixels at full quality
	Bits     int  `json:"bits,omitempty"`   // of a master's colour values
	Lossless bool `json:"lossless,omitempty"`
}

// Names is how paths are made.
type Names struct {
	Pattern string `json:"pattern"`
	naming.Rules
}

// DefaultPattern names files so that no two shots, sizes, outputs, versions or passes meet.
const DefaultPattern = "(production)/(shot)/(output)/(size)/v(version:3)/(pass)/" +
	"(shot)_(view)_(size)_(pass).(frame:4).(ext)"

// UsualStandards returns what a production has until it agrees on something else.
func UsualStandards() Standards {
	scope, _ := raster.Published("scope")
	hd, _ := raster.Published("hd")
	return Standards{
		Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001, FirstTimecode: "00:00:00:00",
		Sizes:     []raster.Named{scope, hd},
		Qualities: DefaultQualities(),
		Picture: Picture{
			Display:    pixel.SRGB,
			Alpha:      output.Premultiplied,
			Background: look.Background{Kind: look.Surroundings},
		},
		Outputs: output.Usual(),
		Names:   Names{Pattern: DefaultPattern},
	}
}

// DefaultQualities returns a quick and a final quality.
func DefaultQualities() []Quality {
	return []Quality{
		{
			Code:    "draft",
			Name:    "Draft",
			Scale:   raster.Reduction{Percent: 25},
			Samples: 2,
			Filter:  pixel.Box,
			Effort:  sampling.Effort{Clamp: 8, Bounces: sampling.Bounces{Diffuse: 2, Glossy: 3, Through: 6}},
		},
		{
			Code:        "final",
			Name:        "Final",
			Scale:       raster.Reduction{Percent: 100},
			Samples:     10,
			Filter:      pixel.Gaussian,
			Effort:      sampling.Effort{Noise: 0.1},
			Deliverable: true,
		},
	}
}

// Clock ties the production's frames to timecode and seconds. A timecode that cannot be read counts as
// midnight.
func (s Standards) Clock() frame.Clock {
	c := frame.Clock{Count: frame.Count{Rate: s.Rate, Drop: s.DropFrame && s.Rate.CanDrop()}, First: s.FirstFrame}
	if t, err := c.ParseTimecode(s.FirstTimecode); err == nil {
		c.Start = t
	}
	return c
}

// MaxHandles is the most frames that are rendered before and after a shot.
const MaxHandles = 1000

// PatternOf returns the name pattern of an output.
func (s Standards) PatternOf(o output.Output) string {
	if o.Pattern != "" {
		return o.Pattern
	}
	return s.Names.Pattern
}

// EncodingOf returns how an output's files are written.
func (s Standards) EncodingOf(o output.Output) output.Encoding {
	return o.Encoding(s.Agreed())
}

// Problems returns what is wrong with the standards by themselves.
func (s Standards) Problems() []Problem {
	var ps problems
	s.problems(&ps)
	s.outputProblems(&ps)
	return ps
}

func (s Standards) problems(ps *problems) {
	if !s.Rate.Valid() {
		ps.add("production", "rate", "the frame rate must be above 0 and at most 1000 frames per second")
	} else if s.DropFrame && !s.Rate.CanDrop() {
		ps.add("production", "rate", "timecode drops numbers at 29.97 and 59.94 fps only, not at %s",
			s.Rate)
	} else if _, err := s.Clock().ParseTimecode(s.FirstTimecode); err != nil {
		ps.add("production", "firstTimecode", "%s", err)
	}
	if s.Handles < 0 || s.Handles > MaxHandles {
		ps.add("production", "handles", "%d frames of handle are outside 0 to %d", s.Handles, MaxHandles)
	}
	if s.FirstFrame < -frame.MaxNumber || s.FirstFrame > frame.MaxNumber {
		ps.add("production", "firstFrame", "frame %d is outside -%d to %d", s.FirstFrame,
			frame.MaxNumber, frame.MaxNumber,
		)
	}
	ps.codes("size", codesOf(s.Sizes, func(n raster.Named) string { return n.Code }))
	for _, n := range s.Sizes {
		if err := n.Check(); err != nil {
			ps.add("size "+n.Code, "width", "%s", err)
		}
	}
	if len(s.Sizes) == 0 {
		ps.add("sizes", "code", "there is no size; add one")
	}
	ps.codes("quality", codesOf(s.Qualities, func(q Quality) string { return q.Code }))
	for _, q := range s.Qualities {
		where := "quality " + q.Code
		if q.Scale.Percent < 0 || q.Scale.Percent > 100 || q.Scale.Divisor < 0 || q.Scale.Divisor > raster.MaxEdge {
			ps.add(where, "scale", "%s of the size is outside 1 to 100 %%", q.Scale)
		}
		if q.Samples < 1 || q.Samples > MaxSamples {
			ps.add(where, "samples", "%d samples along a pixel's edge is outside 1 to %d", q.Samples,
				MaxSamples,
			)
		}
		if err := q.Filter.Check(); err != nil {
			ps.add(where, "filter", "%s", err)
		}
		if err := q.Effort.Check(); err != nil {
			ps.add(where, "effort", "%s", err)
		}
		if err := q.Tiles.Check(); err != nil {
			ps.add(where, "tiles", "%s", err)
		}
		if q.Memory != 0 && !(q.Memory >= LeastMemory && q.Memory <= MostMemory) {
			ps.add(where, "memory", "%g GB for a tile are outside %g to %d", q.Memory, LeastMemory,
				MostMemory,
			)
		}
	}
	if len(s.Qualities) == 0 {
		ps.add("qualities", "code", "there is no quality; add one")
	}
	s.pictureProblems(ps)
}

func (s Standards) pictureProblems(ps *problems) {
	s.lutProblems(ps)
	if err := s.Picture.Viewing.Check(); err != nil {
		ps.add("picture", "viewing", "%s", err)
	}
	if err := s.Picture.Primaries.Check(); err != nil {
		ps.add("picture", "primaries", "%s", err)
	}
	if err := s.Picture.Display.Check(); err != nil {
		ps.add("picture", "display", "%s", err)
	}
	if a := s.Picture.Alpha; a != output.Straight && a != output.Premultiplied {
		ps.add("picture", "alpha", "alpha is straight or premultiplied, not %q", a)
	}
	if b := s.Picture.Background; b.Check() != nil {
		field := "background"
		if b.Kind == look.PlainColour {
			field = "colour"
		}
		ps.add("picture", field, "%s", b.Check())
	}
	if f := s.Floor; f.Width < 0 || f.Height < 0 || f.Width > raster.MaxEdge || f.Height > raster.MaxEdge {
		ps.add("minimum", "width", "a least size of %d × %d is outside 0 to %d", f.Width, f.Height,
			raster.MaxEdge,
		)
	}
	if b := s.Floor.Bits; b != 0 && b != 8 && b != 16 && b != 32 {
		ps.add("minimum", "bits", "a value has 8, 16 or 32 bits, not %d", b)
	}
}

func (s Standards) outputProblems(ps *problems) {
	ps.codes("output", codesOf(s.Outputs, func(o output.Output) string { return o.Code }))
	if len(s.Outputs) == 0 {
		ps.add("outputs", "code", "there is no output; add one")
	}
	for _, o := range s.Outputs {
		if field, err := o.Check(); err != nil {
			ps.add("output "+o.Code, field, "%s", err)
		} else if err := s.EncodingOf(o).Check(); err != nil {
			ps.add("output "+o.Code, "format", "%s", err)
		}
	}
	if _, err := naming.Parse(s.Names.Pattern); err != nil {
		ps.add("names", "pattern", "%s", err)
	}
	if err := s.Names.Rules.Check(); err != nil {
		ps.add("names", "separator", "%s", err)
	}
}
