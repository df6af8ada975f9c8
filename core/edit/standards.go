package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// SetProduction changes what holds for the production as a whole.
type SetProduction struct {
	Title         *string `json:"title,omitempty"`
	Version       *int    `json:"version,omitempty"`
	FirstFrame    *int    `json:"firstFrame,omitempty" label:"first frame"`
	FirstTimecode *string `json:"firstTimecode,omitempty" label:"first timecode"`
	Handles       *int    `json:"handles,omitempty"`
	// a count such as "29.97 drop-frame", or frames per second
	Rate    *string `json:"rate,omitempty" label:"frame rate"`
	Quality *string `json:"quality,omitempty"` // code, for the next batch
	Region  *string `json:"region,omitempty"`  // of every picture, as raster.ParsePart reads it
	Preset  *string `json:"preset,omitempty" label:"compare with preset"`
	Volume  *string `json:"volume,omitempty"` // code, "" for the data folder
}

func (SetProduction) Name() string { return "production.set" }
func (SetProduction) Part() string { return "production" }

func (c SetProduction) apply(p *production.Production, _ Known) error {
	return first(
		to(&p.Title, c.Title),
		to(&p.Version, c.Version),
		to(&p.FirstFrame, c.FirstFrame),
		to(&p.Handles, c.Handles),
		to(&p.Quality, c.Quality),
		to(&p.Preset, c.Preset),
		to(&p.Volume, c.Volume),
		with("rate", c.Rate, func(text string) error { return setRate(p, text) }),
		with("firstTimecode", c.FirstTimecode, func(text string) error {
			t, err := p.Clock().ParseTimecode(text)
			if err == nil {
				p.FirstTimecode = t.String()
			}
			return err
		}),
		with("region", c.Region, func(text string) (err error) {
			p.Region, err = raster.ParsePart(text)
			return err
		}),
	)
}

// setRate sets one of the offered counts, or a rate of one's own. The first frame's timecode is written anew where the
// count drops other numbers.
func setRate(p *production.Production, text string) error {
	var count frame.Count
	if i := slices.IndexFunc(frame.Counts(), func(c frame.Count) bool { return c.String() == text }); i >= 0 {
		count = frame.Counts()[i]
	} else {
		rate, err := frame.ParseRate(text)
		if err != nil {
			return err
		}
		count.Rate = rate
	}
	start := p.Clock().Start
	p.Rate, p.DropFrame = count.Rate, count.Drop
	start.Drop, start.Frames = count.Drop, min(start.Frames, count.Nominal()-1)
	p.FirstTimecode = count.Timecode(count.Number(start)).String()
	return nil
}

// NextVersion raises the version to the next one of which no file was ever sent.
type NextVersion struct{}

func (NextVersion) Name() string                        { return "production.next-version" }
func (NextVersion) Part() string                        { return "production" }
func (NextVersion) words() string                       { return "next version" }
func (NextVersion) needs(p production.Production) Needs { return Needs{NextVersion: true} }

func (NextVersion) apply(p *production.Production, k Known) error {
	if k.NextVersion == 0 {
		return &Mistake{Field: "version", Message: "there is no version left of which nothing was sent"}
	}
	p.Version = k.NextVersion
	return nil
}

// AddSize adds a published size by its code, or one of 1920 x 1080.
type AddSize struct {
	Size string `json:"size,omitempty" role:"value"`
}

func (AddSize) Name() string { return "size.add" }
func (AddSize) Part() string { return "size" }

func (c AddSize) words() string { return strings.TrimSpace("add size " + c.Size) }

func (c AddSize) apply(p *production.Production, _ Known) error {
	taken := func(code string) bool { _, ok := p.FindSize(code); return ok }
	if s, ok := raster.Published(c.Size); ok && !taken(s.Code) {
		p.Sizes = append(p.Sizes, s)
		return nil
	}
	p.Sizes = append(p.Sizes, raster.Named{
		Code: free("size", len(p.Sizes)+1, taken), Name: "New size", Size: raster.Size{Width: 1920, Height: 1080},
	})
	return nil
}

// SetSize changes a size.
type SetSize struct {
	Size          string   `json:"size" role:"of"`
	Code          *string  `json:"code,omitempty"`
	Title         *string  `json:"name,omitempty"`
	Width         *int     `json:"width,omitempty" unit:"px"`
	Height        *int     `json:"height,omitempty" unit:"px"`
	Ratio         *string  `json:"ratio,omitempty" label:"aspect ratio"` // 2.39, 16:9 or 4096/1716
	PrintWidth    *string  `json:"printWidth,omitempty" label:"print width"`
	PrintHeight   *string  `json:"printHeight,omitempty" label:"print height"`
	PixelsPerInch *float64 `json:"pixelsPerInch,omitempty" label:"pixels per inch" unit:"ppi"`
	PixelAspect   *float64 `json:"pixelAspect,omitempty" label:"pixel aspect"`
	MultipleOf    *int     `json:"multipleOf,omitempty" label:"multiple of"`
	Fit           *string  `json:"fit,omitempty"`
	AnchorX       *float64 `json:"anchorX,omitempty" label:"anchor X"`
	AnchorY       *float64 `json:"anchorY,omitempty" label:"anchor Y"`
}

func (SetSize) Name() string   { return "size.set" }
func (c SetSize) Part() string { return "size " + c.Size }

func (c SetSize) apply(p *production.Production, _ Known) error {
	i, err := sizeAt(p, c.Size)
	if err != nil {
		return err
	}
	s := &p.Sizes[i]
	whole := func(n int) (float64, error) { return float64(n), nil }
	return first(
		to(&s.Name, c.Title),
		quantity(s, raster.Width, c.Width, whole),
		quantity(s, raster.Height, c.Height, whole),
		quantity(s, raster.Ratio, c.Ratio, raster.ParseRatio),
		quantity(s, raster.PrintWidth, c.PrintWidth, raster.ParseLength),
		quantity(s, raster.PrintHeight, c.PrintHeight, raster.ParseLength),
		with("pixelsPerInch", c.PixelsPerInch, func(v float64) error {
			if v == 0 && !s.Locked(raster.PixelsPerInch) {
				s.PixelsPerInch = 0
				return nil
			}
			changed, err := s.With(raster.PixelsPerInch, v)
			if err == nil {
				*s = changed
			}
			return err
		}),
		with("pixelAspect", c.PixelAspect, func(v float64) error {
			s.PixelAspect, s.Source = v, ""
			return nil
		}),
		with("multipleOf", c.MultipleOf, func(n int) error {
			s.MultipleOf = n
			if n > 0 && n <= 64 && s.Size != s.Size.Multiple(n) {
				s.Size, s.Source = s.Size.Multiple(n), ""
			}
			return nil
		}),
		with("fit", c.Fit, func(f string) error { s.Fit.Fitting = raster.Fitting(f); return nil }),
		to(&s.Fit.AnchorX, c.AnchorX),
		to(&s.Fit.AnchorY, c.AnchorY),
		with("code", c.Code, func(code string) error { renameSize(p, i, code); return nil }),
	)
}

func sizeAt(p *production.Production, code string) (int, error) {
	return at("size", code, p.Sizes, func(s raster.Named) string { return s.Code })
}

// quantity sets one of the numbers of a size that hang together.
func quantity[T any](s *raster.Named, q raster.Quantity, value *T, read func(T) (float64, error)) error {
	return with(string(q), value, func(given T) error {
		v, err := read(given)
		if err != nil {
			return err
		}
		changed, err := s.With(q, v)
		if err == nil {
			*s = changed
		}
		return err
	})
}

// renameSize gives a size another code, wherever that is named.
func renameSize(p *production.Production, i int, code string) {
	was := p.Sizes[i].Code
	renamed(p, func(s *production.Shot) []string { return s.Sizes }, p.ShotDefaults.Sizes, was, code)
	for _, shot := range p.Shots {
		for k := range shot.Without {
			if shot.Without[k].Size == was {
				shot.Without[k].Size = code
			}
		}
		for k := range shot.Tiles {
			if shot.Tiles[k].Size == was {
				shot.Tiles[k].Size = code
			}
		}
	}
	for i := range p.Views {
		own := p.Views[i].For(was)
		p.Views[i].SetFor(production.ViewSize{Size: was})
		own.Size = code
		p.Views[i].SetFor(own)
	}
	p.Sizes[i].Code = code
}

// LockSize locks one of the numbers of a size, or unlocks it.
type LockSize struct {
	Size     string `json:"size" role:"of"`
	Quantity string `json:"quantity"`
	Locked   bool   `json:"locked" role:"value"`
}

func (LockSize) Name() string   { return "size.lock" }
func (c LockSize) Part() string { return "size " + c.Size }

func (c LockSize) words() string {
	if c.Locked {
		return c.Part() + ": lock " + c.Quantity
	}
	return c.Part() + ": unlock " + c.Quantity
}

func (c LockSize) apply(p *production.Production, _ Known) error {
	i, err := sizeAt(p, c.Size)
	if err == nil {
		p.Sizes[i] = p.Sizes[i].Lock(raster.Quantity(c.Quantity), c.Locked)
	}
	return err
}

// TurnSize swaps width and height of a size.
type TurnSize struct {
	Size string `json:"size" role:"of"`
}

func (TurnSize) Name() string   { return "size.turn" }
func (c TurnSize) Part() string { return "size " + c.Size }

func (c TurnSize) apply(p *production.Production, _ Known) error {
	i, err := sizeAt(p, c.Size)
	if err != nil {
		return err
	}
	s := &p.Sizes[i]
	s.Width, s.Height = s.Height, s.Width
	s.AimedRatio, s.Source = 0, ""
	return nil
}

// MoveSize moves a size by places in the list.
type MoveSize struct {
	Size string `json:"size" role:"of"`
	By   int    `json:"by" role:"value"`
}

func (MoveSize) Name() string   { return "size.move" }
func (c MoveSize) Part() string { return "size " + c.Size }

func (c MoveSize) apply(p *production.Production, _ Known) error {
	i, err := sizeAt(p, c.Size)
	if err != nil {
		return err
	}
	s := p.Sizes[i]
	j := min(max(0, i+c.By), len(p.Sizes)-1)
	p.Sizes = slices.Insert(slices.Delete(p.Sizes, i, i+1), j, s)
	return nil
}

// RemoveSize removes a size that no shot uses.
type RemoveSize struct {
	Size string `json:"size" role:"of"`
}

func (RemoveSize) Name() string   { return "size.remove" }
func (c RemoveSize) Part() string { return "size " + c.Size }

func (c RemoveSize) apply(p *production.Production, _ Known) error {
	i, err := sizeAt(p, c.Size)
	if err != nil {
		return err
	}
	uses := func(s production.Shot) bool { return slices.Contains(p.SizesOf(s), c.Size) }
	if err := first(unused(p, "size", uses), noDefault(p.ShotDefaults.Sizes, "size", c.Size)); err != nil {
		return err
	}
	for i := range p.Views {
		p.Views[i].SetFor(production.ViewSize{Size: c.Size})
	}
	p.Sizes = slices.Delete(p.Sizes, i, i+1)
	return nil
}

// SetPicture changes how light becomes numbers.
type SetPicture struct {
	Display    *string `json:"display,omitempty" label:"display encoding"`
	Alpha      *string `json:"alpha,omitempty"`
	Background *string `json:"background,omitempty"`
	Colour     *string `json:"colour,omitempty" label:"background colour"`
	Viewing    *string `json:"viewing,omitempty" label:"viewing transform"` // "" for sRGB
	Primaries  *string `json:"primaries,omitempty" label:"primaries of linear files"`
}

func (SetPicture) Name() string { return "picture.set" }
func (SetPicture) Part() string { return "picture" }

func (c SetPicture) apply(p *production.Production, _ Known) error {
	return first(
		with("display", c.Display, func(v string) error { p.Picture.Display = pixel.Curve(v); return nil }),
		with("alpha", c.Alpha, func(v string) error { p.Picture.Alpha = output.Alpha(v); return nil }),
		with("background", c.Background, func(v string) error {
			p.Picture.Background.Kind = look.BackgroundKind(v)
			if p.Picture.Background.Colour == "" {
				p.Picture.Background.Colour = "#808080"
			}
			return nil
		}),
		with("primaries", c.Primaries, func(v string) error { p.Picture.Primaries = pixel.Primaries(v); return nil }),
		with("viewing", c.Viewing, func(v string) error { p.Picture.Viewing = pixel.Viewing(v); return nil }),
		with("colour", c.Colour, func(v string) error { p.Picture.Background.Colour = strings.ToLower(v); return nil }),
	)
}

// SetFloor changes the least that a delivery accepts.
type SetFloor struct {
	Width    *int  `json:"width,omitempty" label:"least width" unit:"px"`
	Height   *int  `json:"height,omitempty" label:"least height" unit:"px"`
	Bits     *int  `json:"bits,omitempty" label:"least bit depth"`
	Lossless *bool `json:"lossless,omitempty"`
}

func (SetFloor) Name() string { return "minimum.set" }
func (SetFloor) Part() string { return "minimum" }

func (c SetFloor) apply(p *production.Production, _ Known) error {
	return first(to(&p.Floor.Width, c.Width), to(&p.Floor.Height, c.Height), to(&p.Floor.Bits, c.Bits),
		to(&p.Floor.Lossless, c.Lossless))
}

// unused returns an error that names the first shot which uses a part that is to be removed.
func unused(p *production.Production, part string, uses func(s production.Shot) bool) error {
	if i := slices.IndexFunc(p.Shots, uses); i >= 0 {
		return fmt.Errorf("shot %s uses this %s; choose another there first", p.Shots[i].Code, part)
	}
	return nil
}

// noDefault says that the shot defaults name a part, or nil.
func noDefault(defaults []string, part, code string) error {
	if slices.Contains(defaults, code) {
		return fmt.Errorf(
			"the shot defaults use the %s %s; choose another there first, at the Shots station", part, code,
		)
	}
	return nil
}

// renamed puts another code in the place of one, in every shot's list and in the usual one.
func renamed(p *production.Production, list func(s *production.Shot) []string, usual []string, from, to string) {
	lists := [][]string{usual}
	for i := range p.Shots {
		lists = append(lists, list(&p.Shots[i]))
	}
	for _, codes := range lists {
		for k := range codes {
			if codes[k] == from {
				codes[k] = to
			}
		}
	}
}
