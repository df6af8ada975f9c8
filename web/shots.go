package web

import (
	"slices"
	"strconv"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/shotlist"
	"reelhouse/house"
)

// shotsAPage is how many shots are shown at a time.
const shotsAPage = 50

// shownShot is a shot as a line of the table.
type shownShot struct {
	production.Shot
	Views       []production.View
	Looks       []string // of its views, each once
	Rendered    int      // frames, handles included
	First, Last frame.Timecode
	Seconds     float64
	Chosen      bool
	Open        *openShot // what is set of it, where it is opened
}

// openShot is what the opened line of a shot shows beside the fields of every line.
type openShot struct {
	Fields  []shotField
	Also    []choice
	Labels  string
	Halfway int // a frame to split at
}

// A shotField is a field that comes from the production where the shot sets nothing.
type shotField struct {
	Field, Name, Value string
	Own                bool     // set by the shot itself
	From               string   // where it comes from otherwise
	Options            []option // of a choice; none for a number
	Ticks              []choice // of several
	Help               string
}

// A choice is a tick box.
type choice struct {
	Value string
	On    bool
}

func choices(codes, on []string) []choice {
	var all []choice
	for _, code := range codes {
		all = append(all, choice{code, slices.Contains(on, code)})
	}
	return all
}

type shotsPage struct {
	Shots     []shownShot
	Chart     chart
	From      int // index of the first shot shown
	Pages     []shotsSpan
	Seen      []option // views and rigs
	Sizes     []choice // the usual ones
	Outputs   []choice
	Trials    []plan.Trial
	Looks     []option
	PassLists []string
	Qualities []option
}

type shotsSpan struct {
	From        int
	First, Last string
	Current     bool
}

func fillShots(a *app, v *view) error {
	p := v.Production.Production
	sceneLast := 0
	if s, err := a.House.Assets.Scene(p.Scene); err == nil {
		sceneLast = house.LastFrame(p, s)
	}
	page := shotsPage{Trials: plan.Trials()}
	page.From, _ = strconv.Atoi(v.query("from")) // anything else is the beginning
	if i := slices.IndexFunc(p.Shots, func(s production.Shot) bool { return s.Code == v.Open }); i >= 0 &&
		v.query("from") == "" {
		page.From = i
	}
	page.From = max(0, min(page.From, len(p.Shots)-1)) / shotsAPage * shotsAPage
	for from := 0; from < len(p.Shots) && len(p.Shots) > shotsAPage; from += shotsAPage {
		last := min(from+shotsAPage, len(p.Shots)) - 1
		page.Pages = append(page.Pages, shotsSpan{from, p.Shots[from].Code, p.Shots[last].Code, from == page.From})
	}
	page.Seen = seenOptions(p)
	sizes, outputs := sizeAndOutputCodes(p)
	page.Sizes, page.Outputs = choices(sizes, p.Usual.Sizes), choices(outputs, p.Usual.Outputs)
	for _, l := range p.Looks {
		page.Looks = append(page.Looks, option{l.Code, l.Name})
	}
	for _, l := range p.PassLists {
		page.PassLists = append(page.PassLists, l.Code)
	}
	for _, q := range p.Qualities {
		page.Qualities = append(page.Qualities, option{q.Code, q.Name})
	}
	clock := p.Clock()
	shown := p.Shots[page.From:min(page.From+shotsAPage, len(p.Shots))]
	for _, s := range shown {
		w := shownShot{
			Shot: s, Views: p.ViewsOf(s), Rendered: p.RenderedOf(s).Count(), First: clock.Timecode(s.Frames.First()),
			Last: clock.Timecode(s.Frames.Last()),
			Seconds: clock.Seconds(s.Frames.Last()+1) - clock.Seconds(
				s.Frames.First(),
			), Chosen: slices.Contains(v.Chosen, s.Code),
		}
		for _, seen := range w.Views {
			if code := p.LookOf(s, seen); !slices.Contains(w.Looks, code) {
				w.Looks = append(w.Looks, code)
			}
		}
		if s.Code == v.Open {
			w.Open = page.open(p, s)
		}
		page.Shots = append(page.Shots, w)
	}
	page.Chart = newChart(p, shown, sceneLast)
	v.Page = page
	return nil
}

// seenOptions are what a shot can show: views and rigs.
func seenOptions(p production.Production) []option {
	var all []option
	for _, r := range p.Rigs {
		n := 0
		for _, v := range p.Views {
			if v.Rig == r.Code {
				n++
			}
		}
		if r.Kind != camera.Pair || n > 0 {
			all = append(all, option{r.Code, "all of " + r.Code + ", " + plural(n, "view", "views")})
		}
	}
	var views []option
	for _, w := range p.ShotViews() {
		views = append(views, option{w.Code, w.Code})
	}
	return append(views, all...)
}

func sizeAndOutputCodes(p production.Production) (sizes, outputs []string) {
	for _, s := range p.Sizes {
		sizes = append(sizes, s.Code)
	}
	for _, o := range p.Outputs {
		outputs = append(outputs, o.Code)
	}
	return sizes, outputs
}

// open returns what is shown of an opened shot.
func (page *shotsPage) open(p production.Production, s production.Shot) *openShot {
	sizes, outputs := sizeAndOutputCodes(p)
	looks := append([]option{{"", "each view's own"}}, page.Looks...)
	lists := []option{{"", "as usual: " + p.Usual.PassList}}
	for _, code := range page.PassLists {
		lists = append(lists, option{code, code})
	}
	qualities := append([]option{{"", "the batch's: " + p.Quality}}, page.Qualities...)
	number := func(n int) string { return strconv.Itoa(n) }
	var codes []string
	for _, o := range page.Seen {
		if o.Value != s.View {
			codes = append(codes, o.Value)
		}
	}
	o := &openShot{Also: choices(codes, s.Also), Labels: shotlist.WriteLabels(s.Labels)}
	if n := s.Frames.Count(); n > 1 {
		o.Halfway = s.Frames.At(n / 2)
	}
	o.Fields = []shotField{
		{Field: "look", Name: "Look", Value: s.Look, Own: s.Set("look"), From: "each view's own", Options: looks},
		{
			Field: "sizes",
			Name:  "Sizes",
			Own:   s.Set("sizes"),
			From:  "the usual ones",
			Ticks: choices(sizes, p.SizesOf(s)),
		},
		{
			Field:   "passList",
			Name:    "Passes",
			Value:   s.PassList,
			Own:     s.Set("passList"),
			From:    "as usual",
			Options: lists,
		},
		{
			Field: "outputs",
			Name:  "Outputs",
			Own:   s.Set("outputs"),
			From:  "the usual ones",
			Ticks: choices(outputs, p.OutputsOf(s)),
		},
		{
			Field:   "quality",
			Name:    "Quality",
			Value:   s.Quality,
			Own:     s.Set("quality"),
			From:    "the batch's",
			Options: qualities,
		},
		{
			Field: "step",
			Name:  "Step",
			Value: number(max(1, s.Step)),
			Own:   s.Set("step"),
			From:  "every frame",
			Help:  "renders every so many of the frames",
		},
		{
			Field: "handles",
			Name:  "Handles",
			Value: number(p.HandlesOf(s)),
			Own:   s.Set("handles"),
			From:  "as in Standards",
			Help:  "frames before and after",
		},
	}
	return o
}
