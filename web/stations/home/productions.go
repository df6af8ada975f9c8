package home

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/plan"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// homePage is the list of productions and the form for a new one.
type homePage struct {
	Title       string
	Productions []card
	Starts      []kit.Option // what a new one can start with
	Code, Name  string       // as they were typed
	Start       string
	Wrong       string
}

// A card is a production with its picture, what it amounts to, and what is running.
type card struct {
	store.Revision
	Picture  *kit.Thumb // nil while there is nothing to see
	Totals   plan.Totals
	Problems int
	Trouble  string // why there are no totals, "" for none
	Running  kit.Running
}

// cardOf returns a production as it is now.
func (a *page) cardOf(p store.Revision) (card, error) {
	out := card{Revision: p}
	d, err := a.House.DraftOf(p)
	if err != nil { // the others are shown nevertheless, and its own pages say what is wrong
		a.Log.Warn("a production cannot be summed up", "production", p.Code, "error", err)
		out.Trouble = "what it amounts to cannot be told; open it to see why"
		return out, nil
	}
	out.Totals, out.Problems = d.Batch.Totals(), len(d.Problems)
	out.Totals.Seconds /= float64(a.Node.SlotCount())
	batches, err := a.House.Record.BatchesAlone(p.Code)
	if err != nil {
		return out, err
	}
	if out.Running, err = a.RunningOf(batches); err != nil {
		return out, err
	}
	out.Running.Trouble, out.Running.Elsewhere = "", "" // which are of the house, not of the production
	v := &kit.View{Production: p}
	shown, _ := a.ShownViews(v)
	if len(p.Shots) > 0 { // the first view of the first shot, or else the first of all
		if seen, ok := p.ResolvedShot(p.Shots[0]).Seen(""); ok {
			slices.SortStableFunc(shown, func(x, y kit.ShownView) int {
				return kit.OneIf(y.Code == seen.Code) - kit.OneIf(x.Code == seen.Code)
			})
		}
	}
	if len(shown) > 0 && shown[0].Found && p.Scene.Opaque == nil {
		picture := v.ThumbOf(shown[0], 288, 162)
		out.Picture = &picture
	}
	return out, nil
}

func (a *page) homePage() (homePage, error) {
	page := homePage{Title: "Productions"}
	codes, err := a.House.Record.Codes()
	if err != nil {
		return page, err
	}
	for _, code := range codes {
		p, err := a.House.Record.Production(code)
		if err != nil {
			return page, err
		}
		shown, err := a.cardOf(p)
		if err != nil {
			return page, err
		}
		page.Productions = append(page.Productions, shown)
	}
	presets, err := a.House.Record.Presets(preset.Standards)
	if err != nil {
		return page, err
	}
	page.Starts = []kit.Option{{Value: "", Text: "the usual standards"}}
	for _, saved := range presets {
		page.Starts = append(page.Starts, kit.Option{Value: "preset:" + saved.Name, Text: "the preset " + saved.Name})
	}
	for _, p := range page.Productions {
		text := "the whole set-up of " + p.Code
		page.Starts = append(page.Starts, kit.Option{Value: "production:" + p.Code, Text: text})
	}
	return page, nil
}

// home leads to the only production, or lists them and offers to make one.
func (a *page) home(c *echo.Context) error {
	page, err := a.homePage()
	if err != nil {
		return err
	}
	if len(page.Productions) == 1 && c.QueryParam("new") == "" {
		return c.Redirect(http.StatusSeeOther, a.leftAt(c, page.Productions[0].Code))
	}
	return c.Render(http.StatusOK, "home", page)
}

// leftAt returns the address at which somebody left a production, as the browser has kept it, or that of its first
// station.
func (a *page) leftAt(c *echo.Context, code string) string {
	first := "/p/" + code + "/" + string(a.Stations()[0].Key)
	kept, err := c.Cookie("left-" + code)
	if err != nil {
		return first
	}
	text, err := url.QueryUnescape(kept.Value)
	if err != nil || len(text) > mostAddress {
		return first
	}
	at, err := url.Parse(text)
	if err != nil || at.IsAbs() || at.Host != "" {
		return first
	}
	for _, s := range a.Stations() {
		if at.Path == "/p/"+code+"/"+string(s.Key) {
			return (&url.URL{Path: at.Path, RawQuery: at.Query().Encode()}).String()
		}
	}
	return first
}

// mostAddress is how many bytes an address that was left may have.
const mostAddress = 500

// production leads to where a production was left.
func (a *page) production(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, a.leftAt(c, p.Code))
}

// create makes a production, from a preset or another production if one is chosen.
func (a *page) create(c *echo.Context) error {
	code, title, start := strings.TrimSpace(c.FormValue("code")), strings.TrimSpace(
		c.FormValue("title"),
	), c.FormValue("start")
	again := func(message string) error {
		page, err := a.homePage()
		if err != nil {
			return err
		}
		page.Code, page.Name, page.Start, page.Wrong = code, title, start, message
		return c.Render(http.StatusUnprocessableEntity, "home", page)
	}
	p := production.New(code, title)
	for _, problem := range p.Problems() {
		if problem.Where == "production "+code {
			return again(problem.Message)
		}
	}
	if title == "" {
		return again("the production needs a title")
	}
	kind, name, _ := strings.Cut(start, ":")
	switch kind {
	case "preset":
		from, err := a.House.Record.Preset(preset.Standards, name)
		if err != nil {
			return again(err.Error())
		}
		if err := from.Recall(&p); err != nil {
			return again(err.Error())
		}
	case "production":
		from, err := a.House.Record.Production(name)
		if err != nil {
			return again(err.Error())
		}
		if err := p.Take(from.Production, production.SetUps()...); err != nil {
			return again(err.Error())
		}
	}
	if err := a.House.Record.Create(p, kit.Author(c)); errors.Is(err, store.ErrTaken) {
		return again(err.Error())
	} else if err != nil {
		return err
	}
	next := "/scenes"
	if p.Scene.SHA256 != "" {
		next = "/standards"
	}
	return c.Redirect(http.StatusSeeOther, "/p/"+code+next)
}
