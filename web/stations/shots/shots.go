package shots

import (
	"slices"
	"strconv"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/web/kit"
)

// shotsAPage is how many shots are shown at a time.
const shotsAPage = 50

// A shotRow is a shot as a line of the table.
type shotRow struct {
	production.Shot
	Views       []production.SeenView
	Looks       []string // of its views, each once
	Rendered    int      // frames, handles included
	First, Last frame.Timecode
	Seconds     float64
	Chosen      bool
	Lines       [][]part // what it is rendered as, in lines
	CodeField   kit.Field
	InBatchTick kit.Field
	Title       kit.Field
	NoteField   kit.Field
	ViewField   kit.Field
	FramesField kit.Field
	Details     *shotDetails // where it is opened
	From        int          // index of the first shot on the page
}

// A part is one thing that a shot is rendered as.
type part struct {
	Text string
	Own  bool // the shot overrides it
}

// shotDetails are what is edited of a shot beside its line.
type shotDetails struct {
	Fields   []inherited
	Also     kit.Ticks
	HasAlso  bool
	Sequence kit.Field
	Values   kit.Field
	Labels   kit.Field
	Split    *splitting // nil for a shot of one frame
	Actions  []kit.Action
	Wrong    []string
}

// An inherited field comes from the production where the shot overrides nothing.
type inherited struct {
	Name  string
	Own   bool   // overridden by the shot itself
	From  string // where it comes from otherwise
	Reset kit.Action
	Field kit.Field  // a choice or a number
	Ticks *kit.Ticks // nil but for several
	// Fields are those of a group of settings, "" for a single one.
	Fields []kit.Field
	Help   string
}

// splitting is the form that makes two shots of one.
type splitting struct {
	ID    string
	At    int
	Do    kit.Action
	Wrong string
}

type shotsPage struct {
	Shots      []shotRow
	Chart      chart
	From       int // index of the first shot shown
	Pages      []shotsSpan
	Defaults   shotDefaults
	Together   together
	Add        kit.Action
	WrongAdd   string
	AddOf      kit.Action
	Views      []string // that new shots can be made of
	WrongAddOf string
	Trials     []kit.Action
}

// shotDefaults are what shots are rendered as that override nothing.
type shotDefaults struct {
	Sizes, Outputs kit.Ticks
	Passes         kit.Field
	Handles        int
	Quality        string
}

// together is what can be done with all ticked shots.
type together struct {
	Choices        []kit.Field
	Numbers        []kit.Field
	Sizes, Outputs kit.Ticks
	Resets         []kit.Action
	Actions        []kit.Action
	Wrong          string
}

type shotsSpan struct {
	From        int
	First, Last string
	Current     bool
}

// fill shows a page of the shots, over the scene's frames and as a table.
func (a *page) fill(v *kit.View) error {
	p := v.Production.Production
	sceneLast := 0
	if s, err := a.House.Assets.Scene(p.Scene); err == nil {
		sceneLast = house.LastFrame(p, s)
	}
	page := shotsPage{Add: v.Part("shot", "").Action("add", "+ shot", "Add a shot"), WrongAdd: v.Wrong("shot", "add")}
	page.AddOf = v.Part("shot", "").Action("add-of", "Add", "One shot of each ticked view")
	for _, w := range p.ShotViews() {
		page.Views = append(page.Views, w.Code)
	}
	page.WrongAddOf = v.Wrong("shot", "add-of")
	page.From, _ = strconv.Atoi(v.Query("from")) // anything else is the beginning
	if i := slices.IndexFunc(p.Shots, func(s production.Shot) bool { return s.Code == v.Open }); i >= 0 &&
		v.Query("from") == "" {
		page.From = i
	}
	page.From = max(0, min(page.From, len(p.Shots)-1)) / shotsAPage * shotsAPage
	for from := 0; from < len(p.Shots) && len(p.Shots) > shotsAPage; from += shotsAPage {
		last := min(from+shotsAPage, len(p.Shots)) - 1
		page.Pages = append(page.Pages, shotsSpan{from, p.Shots[from].Code, p.Shots[last].Code, from == page.From})
	}
	for _, t := range plan.Trials() {
		page.Trials = append(page.Trials, v.Post("try-"+string(t), t.Name(), "", "trial",
			"trial", string(t), "revision", strconv.Itoa(v.Production.Number)))
	}
	renderers, err := a.House.RendererNames()
	if err != nil {
		return err
	}
	o := optionsOf(p, renderers)
	page.Defaults = o.defaults(v)
	page.Together = o.together(v)
	shown := v.Draft.Set.Shots[page.From:min(page.From+shotsAPage, len(p.Shots))]
	for i := range shown {
		page.Shots = append(page.Shots, o.row(v, &shown[i], page.From))
	}
	page.Chart = newChart(p, shown, sceneLast)
	v.Page = page
	return nil
}
