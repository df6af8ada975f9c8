package web

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// An edit is one field of one part, as a page sends it.
type edit struct {
	kind, code, field, value string
	values                   []string // of tick boxes
}

// errChoice marks what only a damaged page can send.
var errChoice = errors.New("this cannot be edited")

// edit changes one field of the production and keeps it at once. What cannot be kept comes back with the
// reason, where it was typed.
func (a *app) edit(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The form could not be read.")
	}
	e := edit{kind: c.Param("kind"), code: form.Get("of"), field: form.Get("field"), value: strings.TrimSpace(form.Get("value")), values: form["values"]}
	where := e.where()
	summary := where + ", " + e.field
	if e.field == "add" || e.field == "remove" {
		summary = e.field + " " + where
	}
	p, err := a.House.Edit(c.Param("code"), summary, func(p *production.Production) error {
		before := p.Problems()
		if err := e.apply(p); err != nil {
			return err
		}
		// A change may leave old problems, and may not bring new ones.
		for _, problem := range p.Problems() {
			if !slices.Contains(before, problem) && (problem.Field == e.field || problem.Field == "code") {
				return problem
			}
		}
		return nil
	})
	key := production.Station(form.Get("station"))
	if errors.Is(err, errChoice) {
		return echo.NewHTTPError(http.StatusBadRequest, "This cannot be edited; load the page again.")
	}
	if err != nil {
		now, loadErr := a.House.Production(c.Param("code"))
		if loadErr != nil {
			return loadErr
		}
		message := err.Error()
		var problem production.Problem
		if errors.As(err, &problem) {
			message = problem.Message
		}
		return a.update(c, now, key, mistake{where, e.field, e.value, message}, "")
	}
	return a.update(c, p, key, mistake{}, "Saved: "+summary+".")
}

// where names the part as production.Problem does.
func (e edit) where() string {
	if e.code == "" {
		return e.kind
	}
	return strings.ReplaceAll(e.kind, "-", " ") + " " + e.code
}

// at returns the place of the part with the edit's code in a list.
func at[T any](e edit, list []T, code func(T) string) (int, error) {
	i := slices.IndexFunc(list, func(t T) bool { return code(t) == e.code })
	if i < 0 {
		return 0, fmt.Errorf("%s does not exist any more", e.where())
	}
	return i, nil
}

func (e edit) number() (int, error) {
	n, err := strconv.Atoi(e.value)
	if err != nil {
		return 0, fmt.Errorf("%q is not a whole number", e.value)
	}
	return n, nil
}

func (e edit) apply(p *production.Production) error {
	switch e.kind {
	case "production":
		return e.production(p)
	case "size":
		return e.size(p)
	case "quality":
		return e.quality(p)
	case "view":
		return e.view(p)
	case "shot":
		return e.shot(p)
	case "pass-list":
		return e.passList(p)
	case "depth":
		metres, err := strconv.ParseFloat(e.value, 64)
		if err != nil {
			return fmt.Errorf("%q is not a number of metres", e.value)
		}
		p.DepthBackground = metres
	case "output":
		return e.output(p)
	default:
		return errChoice
	}
	return nil
}

func (e edit) production(p *production.Production) (err error) {
	switch e.field {
	case "title":
		p.Title = e.value
	case "version":
		p.Version, err = e.number()
	case "firstFrame":
		p.FirstFrame, err = e.number()
	case "rate":
		rates := map[string]frame.Rate{}
		for _, r := range Rates() {
			rates[r.String()] = r
		}
		rate, ok := rates[e.value]
		if !ok {
			return errChoice
		}
		p.Rate = rate
	case "quality":
		p.Quality = e.value
	case "nextVersion":
		p.Version++
	default:
		return errChoice
	}
	return err
}

// Rates returns the frame rates that are offered.
func Rates() []frame.Rate {
	return []frame.Rate{
		{Numerator: 24, Denominator: 1}, {Numerator: 24000, Denominator: 1001}, {Numerator: 25, Denominator: 1}, {Numerator: 30000, Denominator: 1001},
		{Numerator: 30, Denominator: 1}, {Numerator: 48, Denominator: 1}, {Numerator: 50, Denominator: 1}, {Numerator: 60000, Denominator: 1001}, {Numerator: 60, Denominator: 1},
	}
}

func (e edit) size(p *production.Production) error {
	if e.field == "add" {
		for _, s := range raster.Standard() {
			if s.Code == e.value {
				p.Sizes = append(p.Sizes, s)
				return nil
			}
		}
		p.Sizes = append(p.Sizes, raster.Named{Code: fresh("size", len(p.Sizes), func(c string) bool { _, ok := p.FindSize(c); return ok }), Name: "New size", Size: raster.Size{Width: 1920, Height: 1080}})
		return nil
	}
	i, err := at(e, p.Sizes, func(s raster.Named) string { return s.Code })
	if err != nil {
		return err
	}
	s := &p.Sizes[i]
	switch e.field {
	case "code":
		for j := range p.Shots {
			for k, c := range p.Shots[j].Sizes {
				if c == s.Code {
					p.Shots[j].Sizes[k] = e.value
				}
			}
		}
		s.Code = e.value
	case "name":
		s.Name = e.value
	case "width":
		s.Width, err = e.number()
		s.Source = ""
	case "height":
		s.Height, err = e.number()
		s.Source = ""
	case "remove":
		for _, shot := range p.Shots {
			if slices.Contains(shot.Sizes, s.Code) {
				return fmt.Errorf("shot %s uses this size; take it out there first", shot.Code)
			}
		}
		p.Sizes = slices.Delete(p.Sizes, i, i+1)
	default:
		return errChoice
	}
	return err
}

// fresh returns a code that is not in use.
func fresh(prefix string, from int, used func(string) bool) string {
	for n := from + 1; ; n++ {
		if code := prefix + strconv.Itoa(n); !used(code) {
			return code
		}
	}
}

func (e edit) quality(p *production.Production) error {
	i, err := at(e, p.Qualities, func(q production.Quality) string { return q.Code })
	if err != nil {
		return err
	}
	q := &p.Qualities[i]
	switch e.field {
	case "name":
		q.Name = e.value
	case "percent":
		q.Percent, err = e.number()
	case "samples":
		q.Samples, err = e.number()
	case "filter":
		q.Filter = pixel.Filter(e.value)
	case "full":
		q.Full = len(e.values) > 0
	default:
		return errChoice
	}
	return err
}

func (e edit) view(p *production.Production) error {
	if e.field == "add" {
		p.Views = append(p.Views, production.View{Code: fresh("view", len(p.Views), func(c string) bool { _, ok := p.FindView(c); return ok }), Name: "New view", Camera: e.value, Look: p.Looks[0].Code})
		return nil
	}
	i, err := at(e, p.Views, func(v production.View) string { return v.Code })
	if err != nil {
		return err
	}
	v := &p.Views[i]
	switch e.field {
	case "code":
		for j := range p.Shots {
			if p.Shots[j].View == v.Code {
				p.Shots[j].View = e.value
			}
		}
		v.Code = e.value
	case "name":
		v.Name = e.value
	case "camera":
		v.Camera = e.value
	case "look":
		v.Look = e.value
	case "remove":
		for _, shot := range p.Shots {
			if shot.View == v.Code {
				return fmt.Errorf("shot %s uses this view; choose another there first", shot.Code)
			}
		}
		p.Views = slices.Delete(p.Views, i, i+1)
	default:
		return errChoice
	}
	return nil
}

func (e edit) shot(p *production.Production) error {
	if e.field == "add" {
		return e.addShot(p)
	}
	i, err := at(e, p.Shots, func(s production.Shot) string { return s.Code })
	if err != nil {
		return err
	}
	s := &p.Shots[i]
	switch e.field {
	case "code":
		s.Code = e.value
	case "name":
		s.Name = e.value
	case "view":
		s.View = e.value
	case "frames":
		set, err := frame.Parse(e.value)
		if err != nil {
			return err
		}
		s.Frames = set
	case "sizes":
		s.Sizes = nil
		for _, size := range p.Sizes {
			if slices.Contains(e.values, size.Code) {
				s.Sizes = append(s.Sizes, size.Code)
			}
		}
	case "passList":
		s.PassList = e.value
	case "inBatch":
		s.InBatch = len(e.values) > 0
	case "note":
		s.Note = e.value
	case "remove":
		p.Shots = slices.Delete(p.Shots, i, i+1)
	default:
		return errChoice
	}
	return nil
}

// addShot adds a shot of 48 frames of the first view, numbered in tens.
func (e edit) addShot(p *production.Production) error {
	if len(p.Views) == 0 {
		return fmt.Errorf("there is no view yet; bring in a scene with cameras first")
	}
	code := ""
	for n := 10 * (len(p.Shots) + 1); ; n += 10 {
		code = fmt.Sprintf("%03d", n)
		if _, taken := p.FindShot(code); !taken {
			break
		}
	}
	p.Shots = append(p.Shots, production.Shot{
		Code: code, Name: "New shot", View: p.Views[0].Code, Frames: frame.Of(p.FirstFrame, p.FirstFrame+47),
		Sizes: []string{p.Sizes[0].Code}, PassList: p.PassLists[0].Code, InBatch: true,
	})
	return nil
}

func (e edit) passList(p *production.Production) error {
	if e.field == "add" {
		p.PassLists = append(p.PassLists, production.PassList{
			Code: fresh("list", len(p.PassLists), func(c string) bool { _, ok := p.FindPassList(c); return ok }), Name: "New list", Passes: []pass.Code{pass.Beauty},
		})
		return nil
	}
	i, err := at(e, p.PassLists, func(l production.PassList) string { return l.Code })
	if err != nil {
		return err
	}
	l := &p.PassLists[i]
	switch e.field {
	case "name":
		l.Name = e.value
	case "passes":
		l.Passes = nil
		for _, v := range e.values {
			l.Passes = append(l.Passes, pass.Code(v))
		}
		l.Passes = pass.Sorted(l.Passes)
	case "remove":
		for _, shot := range p.Shots {
			if shot.PassList == l.Code {
				return fmt.Errorf("shot %s uses this list; choose another there first", shot.Code)
			}
		}
		p.PassLists = slices.Delete(p.PassLists, i, i+1)
	default:
		return errChoice
	}
	return nil
}

func (e edit) output(p *production.Production) error {
	switch e.field {
	case "pattern":
		if _, err := naming.Parse(e.value); err != nil {
			return err
		}
		p.Output.Pattern = e.value
	case "format":
		p.Output.Format = production.Format(e.value)
	case "packing":
		p.Output.Packing = production.Packing(e.value)
	default:
		return errChoice
	}
	return nil
}
