package edit

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/contact"
	"reelhouse/core/frame"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/production"
	"reelhouse/core/sprite"
)

// AddDelivery adds a recipe of what is handed on: everything that is good, with the names that it has.
type AddDelivery struct {
	Title    string `json:"name,omitempty"`
	Approved bool   `json:"approved,omitempty" label:"approved only"`
	Contact  bool   `json:"contact,omitempty" label:"a contact sheet alone"`
	Sprites  bool   `json:"sprites,omitempty" label:"a sprite sheet alone"`
	Review   bool   `json:"review,omitempty" label:"a movie and a contact sheet"`
	Cut      bool   `json:"cut,omitempty" label:"a movie of the cut"`
}

func (AddDelivery) Name() string { return "delivery.add" }
func (AddDelivery) Part() string { return "delivery" }

func (c AddDelivery) apply(p *production.Production, _ Known) error {
	code := free("delivery", len(p.Deliveries)+1, func(code string) bool { _, ok := p.FindDelivery(code); return ok })
	name := strings.TrimSpace(c.Title)
	if name == "" {
		name = "Delivery " + strings.TrimPrefix(code, "delivery")
	}
	d := production.Delivery{Code: code, Name: name, Hash: mhl.XXH64, Approved: c.Approved}
	if c.Contact {
		d.NoFiles, d.Contact = true, contact.Usual()
	}
	if c.Review || c.Cut {
		d.NoFiles, d.Movie = true, movie.Usual()
	}
	if c.Review {
		d.Contact, d.Movie.Stamp = contact.Usual(), true
	}
	if c.Cut {
		d.Movie.Of = movie.OfCut
	}
	if c.Sprites {
		d.NoFiles, d.Sprites = true, sprite.Usual()
	}
	p.Deliveries = append(p.Deliveries, d)
	return nil
}

// SetDelivery changes a recipe of what is handed on. Shots, sizes and outputs are all of them if none are named.
type SetDelivery struct {
	Delivery  string    `json:"delivery" role:"of"`
	Code      *string   `json:"code,omitempty"`
	Title     *string   `json:"name,omitempty"`
	For       *string   `json:"for,omitempty"`
	Shots     *[]string `json:"shots,omitempty"`
	Sizes     *[]string `json:"sizes,omitempty"`
	Outputs   *[]string `json:"outputs,omitempty"`
	Made      *[]string `json:"made,omitempty" label:"pictures of"`
	Approved  *bool     `json:"approved,omitempty" label:"approved only"`
	OwnFrames *bool     `json:"ownFrames,omitempty" label:"without handles"`
	Pattern   *string   `json:"pattern,omitempty"`
	First     *First    `json:"first,omitempty" label:"first frame"`
	KeepOn    *bool     `json:"numbers,omitempty" label:"numbers as they are"`
	Rate      *string   `json:"rate,omitempty" label:"retimed to" unit:"fps"`
	Hash      *string   `json:"hash,omitempty"`
	To        *string   `json:"to,omitempty" label:"destination"`
	Form      *string   `json:"form,omitempty"`
	Files     *bool     `json:"files,omitempty" label:"files of frames"`
	Layers    *bool     `json:"layers,omitempty" label:"list of layers"`
	As        *string   `json:"as,omitempty" label:"in the form of"`
	Leader    *int      `json:"leader,omitempty" label:"leader" unit:"frames"`
	Cameras   *string   `json:"cameras,omitempty"`
	Cut       *string   `json:"cut,omitempty"`
	Page      *bool     `json:"page,omitempty" label:"web page"`
	Pictures  *string   `json:"pictures,omitempty"`
	Contact   *bool     `json:"contact,omitempty" label:"contact sheet"`
	Shown     *string   `json:"contactFrames,omitempty" label:"frames of the contact sheet"`
	Nth       *int      `json:"contactNth,omitempty" label:"every nth frame"`
	Columns   *int      `json:"contactColumns,omitempty" label:"columns"`
	Paper     *string   `json:"contactPaper,omitempty" label:"page"`
	Format    *string   `json:"contactFormat,omitempty" label:"file of the contact sheet"`
	Wide      *int      `json:"contactWidth,omitempty" label:"width of a page" unit:"px"`
	PageHigh  *int      `json:"contactHeight,omitempty" label:"height of a page" unit:"px"`
	Sprites   *bool     `json:"sprites,omitempty" label:"sprite sheet"`
	Poses     *string   `json:"spriteFrames,omitempty" label:"poses"`
	Packing   *string   `json:"spritePacking,omitempty" label:"packing"`
	Pivot     *string   `json:"spritePivot,omitempty" label:"pivot"`
	Trim      *bool     `json:"spriteTrim,omitempty" label:"trimmed cells"`
	Power     *bool     `json:"spritePower,omitempty" label:"edges that are powers of two"`
	Margin    *int      `json:"spriteMargin,omitempty" label:"margin" unit:"px"`
	Extrude   *int      `json:"spriteExtrude,omitempty" label:"extrusion" unit:"px"`
	High      *number   `json:"spriteHeight,omitempty" label:"height of a cell" unit:"px"`
	Movie     *bool     `json:"movie,omitempty"`
	Subject   *string   `json:"movieOf,omitempty" label:"movie of"`
	Codec     *string   `json:"movieCodec,omitempty" label:"codec"`
	Size      *string   `json:"movieSize,omitempty" label:"size of the movie"`
	Tall      *number   `json:"movieHeight,omitempty" label:"height of the movie" unit:"px"`
	Alpha     *bool     `json:"movieAlpha,omitempty" label:"alpha"`
	Multiply  *bool     `json:"moviePremultiplied,omitempty" label:"premultiplied alpha"`
	Sound     *bool     `json:"movieSound,omitempty" label:"sound of the cut"`
	Hold      *bool     `json:"movieHold,omitempty" label:"held frames for missing ones"`
	Stamp     *bool     `json:"movieStamp,omitempty" label:"stamp"`
	Slate     *bool     `json:"movieSlate,omitempty" label:"slate"`
}

func (SetDelivery) Name() string   { return "delivery.set" }
func (c SetDelivery) Part() string { return "delivery " + c.Delivery }

func (c SetDelivery) apply(p *production.Production, _ Known) error {
	i, err := deliveryAt(p, c.Delivery)
	if err != nil {
		return err
	}
	d := &p.Deliveries[i]
	if c.First != nil {
		d.First = nil
		if c.First.Given {
			d.First = new(c.First.Number)
		}
	}
	if c.KeepOn != nil && *c.KeepOn {
		d.First = nil
	}
	return first(
		to(&d.Code, c.Code), to(&d.Name, c.Title), to(&d.For, c.For), to(&d.Approved, c.Approved),
		to(&d.OwnFrames, c.OwnFrames), to(&d.Pattern, c.Pattern), to(&d.To, c.To),
		to(&d.Leader, c.Leader), to(&d.Cameras, c.Cameras), to(&d.Cut, c.Cut), to(&d.Page, c.Page),
		to(&d.Layers, c.Layers),
		with("shots", c.Shots, func(all []string) error {
			d.Shots = all
			return missing("shot", all, func(code string) bool {
				return slices.ContainsFunc(p.Shots, func(s production.Shot) bool { return s.Code == code })
			})
		}),
		with("sizes", c.Sizes, func(all []string) error {
			d.Sizes = all
			return missing("size", all, func(code string) bool { _, ok := p.FindSize(code); return ok })
		}),
		with("outputs", c.Outputs, func(all []string) error {
			d.Outputs = all
			return missing("output", all, func(code string) bool { _, ok := p.FindOutput(code); return ok })
		}),
		with("made", c.Made, func(all []string) error {
			d.Made = all
			return missing("matte or grade", all, func(made string) bool {
				return made == production.Rendered || slices.Contains(p.Makings(), made)
			})
		}),
		with("rate", c.Rate, func(text string) (err error) {
			d.Rate = frame.Rate{}
			if text != "" {
				d.Rate, err = frame.ParseRate(text)
			}
			return err
		}),
		with("hash", c.Hash, func(v string) error { d.Hash = mhl.Format(v); return d.Hash.Check() }),
		with("form", c.Form, func(v string) error {
			if d.Form = production.Form(v); !slices.Contains(production.Forms(), d.Form) {
				return fmt.Errorf("it is a folder, which is called \"\", zip or tar")
			}
			return nil
		}),
		with("files", c.Files, func(v bool) error { d.NoFiles = !v; return nil }),
		with("as", c.As, func(v string) error {
			d.As = v
			return missing("output", alone(v), func(code string) bool { _, ok := p.FindOutput(code); return ok })
		}),
		with("pictures", c.Pictures, func(v string) error {
			d.Pictures = v
			return missing("output", alone(v), func(code string) bool { _, ok := p.FindOutput(code); return ok })
		}),
		c.sheet(&d.Contact), c.sprites(&d.Sprites),
		with("movieSize", c.Size, func(code string) error {
			return missing("size", alone(code), func(code string) bool { _, ok := p.FindSize(code); return ok })
		}),
		c.movie(&d.Movie),
	)
}

// A First is the number of a first frame, which may be left empty.
type First struct {
	Number int
	Given  bool
}

// UnmarshalText reads a whole number, or nothing.
func (f *First) UnmarshalText(text []byte) error {
	*f = First{}
	if len(text) == 0 {
		return nil
	}
	n, err := strconv.Atoi(string(text))
	if err != nil {
		return fmt.Errorf("%q is no frame", text)
	}
	*f = First{n, true}
	return nil
}

// UnmarshalJSON reads a JSON number, or null.
func (f *First) UnmarshalJSON(data []byte) error {
	return f.UnmarshalText([]byte(strings.TrimPrefix(string(data), "null")))
}

// MarshalJSON writes what UnmarshalJSON reads.
func (f First) MarshalJSON() ([]byte, error) {
	if !f.Given {
		return []byte("null"), nil
	}
	return strconv.AppendInt(nil, int64(f.Number), 10), nil
}

// sheet changes the contact sheet.
func (c SetDelivery) sheet(s *contact.Settings) error {
	if c.Contact != nil && *c.Contact && s.Frames == "" {
		*s = contact.Usual()
	}
	if c.Paper != nil && contact.Paper(*c.Paper) == contact.Pixels && s.Width == 0 {
		s.Width, s.Height = contact.Usual().Width, contact.Usual().Height
	}
	return first(
		to(&s.On, c.Contact), to(&s.Nth, c.Nth), to(&s.Columns, c.Columns), to(&s.Width, c.Wide),
		to(&s.Height, c.PageHigh),
		as(&s.Frames, c.Shown), as(&s.Paper, c.Paper), as(&s.Format, c.Format),
		wrong(c.named(), s.Check()),
	)
}

// sprites changes the sprite sheet.
func (c SetDelivery) sprites(s *sprite.Settings) error {
	if c.Sprites != nil && *c.Sprites && s.Frames == "" {
		*s = sprite.Usual()
	}
	return first(
		to(&s.On, c.Sprites), to(&s.Trim, c.Trim), to(&s.PowerOfTwo, c.Power), to(&s.Margin, c.Margin),
		to(&s.Extrude, c.Extrude), as(&s.Frames, c.Poses), as(&s.Packing, c.Packing), as(&s.Pivot, c.Pivot),
		with("spriteHeight", c.High, func(v number) error { s.Height = int(v); return nil }),
		wrong(c.named(), s.Check()),
	)
}

// movie changes which movies are made. A codec without alpha makes movies without it.
func (c SetDelivery) movie(s *movie.Settings) error {
	if c.Movie != nil && *c.Movie && s.Of == "" {
		*s = movie.Usual()
	}
	if c.Codec != nil && !movie.Codec(*c.Codec).Kind().Alpha {
		s.Alpha = false
	}
	return first(
		to(&s.On, c.Movie), to(&s.Size, c.Size), to(&s.Alpha, c.Alpha),
		to(&s.Premultiplied, c.Multiply), to(&s.Sound, c.Sound), to(&s.Hold, c.Hold),
		to(&s.Stamp, c.Stamp), to(&s.Slate, c.Slate), as(&s.Of, c.Subject), as(&s.Codec, c.Codec),
		with("movieHeight", c.Tall, func(v number) error { s.Height = int(v); return nil }),
		wrong(c.named(), s.Check()),
	)
}

// named returns the first field that is changed of what is made.
func (c SetDelivery) named() string {
	for _, name := range given(c) {
		if strings.HasPrefix(name, "contact") || strings.HasPrefix(name, "sprite") ||
			strings.HasPrefix(name, "movie") {
			return name
		}
	}
	return "files"
}

// as changes a word of a kind, if it was given.
func as[T ~string](place *T, value *string) error {
	if value != nil {
		*place = T(*value)
	}
	return nil
}

// alone returns a code as the only one of a list, none if it is empty.
func alone(code string) []string {
	if code == "" {
		return nil
	}
	return []string{code}
}

// missing returns an error that names the first code of which there is nothing.
func missing(what string, codes []string, there func(code string) bool) error {
	for _, code := range codes {
		if !there(code) {
			return fmt.Errorf("there is no %s %q", what, code)
		}
	}
	return nil
}

func deliveryAt(p *production.Production, code string) (int, error) {
	return at("delivery", code, p.Deliveries, func(d production.Delivery) string { return d.Code })
}

// RemoveDelivery removes a recipe. What was handed on by it stays on record.
type RemoveDelivery struct {
	Delivery string `json:"delivery" role:"of"`
}

func (RemoveDelivery) Name() string   { return "delivery.remove" }
func (c RemoveDelivery) Part() string { return "delivery " + c.Delivery }

func (c RemoveDelivery) apply(p *production.Production, _ Known) error {
	i, err := deliveryAt(p, c.Delivery)
	if err != nil {
		return err
	}
	p.Deliveries = slices.Delete(p.Deliveries, i, i+1)
	return nil
}
