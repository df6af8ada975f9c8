package queue

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/store"
	"reelhouse/web/kit"
)

type queuePage struct {
	Filter   filter
	Batches  []shownBatch // that are not finished, in the order of their turns
	Finished []shownBatch // the newest first, as far as they are shown
	Others   int          // finished ones that are not shown
	Left     int          // frames of all that are left to render
	States   []kit.Strip
	Paused   time.Time // since when; the zero time if it is not
	Pause    kit.Action
	Checks   shownVerification
	Nodes    nodesPart  // on other machines
	Log      *logPage   // is shown alone, if the address asks for it
	Search   *logSearch // likewise
}

// A filter is what of the queue is shown, as the address of the page says it.
type filter struct {
	Of, State, Kind, Node, Text       string // "" for any
	Productions, States, Kinds, Nodes []string
	All                               bool // finished batches, too, however many
}

// On reports whether anything is left out.
func (f filter) On() bool {
	return f.Of != "" || f.State != "" || f.Kind != "" || f.Node != "" || f.Text != ""
}

// takes reports whether a batch is shown; busy are the batches that a node is at, and kind those that have tasks of the
// kind. Archived ones are shown only if they are looked for by words.
func (f filter) takes(b store.Batch, busy, kind map[int64]bool) bool {
	text := strings.ToLower(f.Text)
	return (f.Of == "" || strings.EqualFold(f.Of, b.Plan.Production)) &&
		(!b.Away() || text != "") && (f.Kind == "" || kind[b.ID]) &&
		(f.State == "" || b.Sums[queue.State(f.State)] > 0) && (f.Node == "" || busy[b.ID]) &&
		(text == "" || strings.Contains(strings.ToLower(b.Name+"\n"+b.Note+"\n"+b.Plan.Production), text) ||
			strconv.FormatInt(b.ID, 10) == text)
}

// How many finished batches are shown: a few below those that are not, more when they are asked for.
const (
	fewFinished  = 5
	mostFinished = 200
)

// fill shows the queue of the whole house.
func (a *page) fill(v *kit.View) error {
	if alone, err := a.alone(v.Production.Code, v.Query); err != nil || alone != nil {
		v.Page = alone
		return err
	}
	page, err := a.pageOf(v.Production.Code, v.Query)
	if err != nil {
		return err
	}
	page.Pause = v.Post(
		"pause",
		"Pause",
		"No node takes a task until it is resumed; what is under way goes on",
		"pause",
		"pause",
		"1",
	)
	if !page.Paused.IsZero() {
		page.Pause = v.Post("pause", "Resume", "Nodes take tasks again", "pause").Main()
	}
	v.Page = page
	return nil
}

// alone returns a page that is not the queue itself: a log, or what was found in logs; nil for none.
func (a *page) alone(code string, query func(string) string) (*queuePage, error) {
	switch {
	case query("log") != "":
		log, err := a.showLog(code, query)
		return &queuePage{Log: log}, err
	case query("in") != "":
		search, err := a.searchLogs(code, query)
		return &queuePage{Search: search}, err
	}
	return nil, nil
}

// pageOf returns what a page of a production shows of the queue; query is the part of its address that says so.
func (a *page) pageOf(code string, query func(string) string) (*queuePage, error) {
	page := &queuePage{States: legend(), Checks: a.verifying(code), Filter: filter{
		Of: query(
			"of",
		), State: query("state"), Kind: query("kind"), Node: query("node"), Text: strings.TrimSpace(query("find")),
		All: query("finished") != "", Nodes: a.Node.Names(),
	}}
	for _, s := range queue.States() {
		page.Filter.States = append(page.Filter.States, string(s))
	}
	var err error
	if page.Nodes, err = a.nodesShown(code); err != nil {
		return nil, err
	}
	if page.Paused, err = a.House.Record.Paused(); err != nil {
		return nil, err
	}
	all, err := a.House.Record.Queued(true)
	if err != nil {
		return nil, err
	}
	busy := map[int64]bool{}
	if page.Filter.Node != "" {
		if busy, err = a.House.Record.BatchesAt(page.Filter.Node); err != nil {
			return nil, err
		}
	}
	kinds, err := a.House.Record.Kinds()
	if err != nil {
		return nil, err
	}
	page.Filter.Kinds = append([]string{string(work.Render)}, kinds...)
	ofKind := map[int64]bool{}
	if page.Filter.Kind != "" {
		if ofKind, err = a.House.Record.BatchesOfKind(page.Filter.Kind); err != nil {
			return nil, err
		}
	}
	var finished []store.Batch
	before := ahead{}
	opened := query("open")
	only, _ := strconv.ParseInt(query("alone"), 10, 64) // anything else is all
	for _, b := range all {
		if !slices.Contains(page.Filter.Productions, b.Plan.Production) {
			page.Filter.Productions = append(page.Filter.Productions, b.Plan.Production)
		}
		taken := page.Filter.takes(b, busy, ofKind)
		if b.Finished() || b.Away() {
			if taken {
				finished = append(finished, b)
			}
			continue
		}
		left, err := a.House.Record.Left(b)
		if err != nil {
			return nil, err
		}
		page.Left += left
		if opened == "" && taken && strings.EqualFold(b.Plan.Production, code) {
			opened = strconv.FormatInt(b.ID, 10) // the first one of the production
		}
		if taken {
			shown, err := a.showBatch(code, b, opened == strconv.FormatInt(b.ID, 10), only)
			if err != nil {
				return nil, err
			}
			shown.Place, shown.Behind = len(page.Batches)+1, before.text(b)
			page.Batches = append(page.Batches, shown)
		}
		before.add(b)
	}
	slices.Sort(page.Filter.Productions)
	slices.SortFunc(finished, func(x, y store.Batch) int { return int(y.ID - x.ID) })
	most := fewFinished
	if page.Filter.All || page.Filter.On() {
		most = mostFinished
	}
	for _, b := range finished {
		id := strconv.FormatInt(b.ID, 10)
		if len(page.Finished) >= most && opened != id {
			page.Others++
			continue
		}
		if opened == "" && strings.EqualFold(b.Plan.Production, code) {
			opened = id
		}
		shown, err := a.showBatch(code, b, opened == id, only)
		if err != nil {
			return nil, err
		}
		page.Finished = append(page.Finished, shown)
	}
	return page, nil
}

// ahead is what comes before a batch.
type ahead struct{ frames, batches int }

func (w *ahead) add(b store.Batch) {
	if n := b.Sums.Left() - b.Sums[queue.Blocked]; n > 0 {
		w.frames, w.batches = w.frames+n, w.batches+1
	}
}

// text says what comes before a batch that has not begun, "" for nothing.
func (w ahead) text(b store.Batch) string {
	if w.frames == 0 || b.Sums[queue.Ready] == 0 || b.Sums[queue.Rendering]+b.Sums[queue.Checking] > 0 {
		return ""
	}
	return fmt.Sprintf("after %s of %s", kit.Plural(w.frames, "frame", "frames"),
		kit.Plural(w.batches, "batch", "batches"))
}

// events adds "batch-N" for the progress of each batch that is shown, and "verified" for that of a verification.
func (a *page) events(w kit.Watched, add func(event, template string, data any) error) error {
	if w.Query.Get("in") != "" {
		return nil
	}
	if text := w.Query.Get("log"); text != "" {
		t, err := a.taskOf(text)
		if err != nil {
			return nil // the page says so
		}
		f, err := a.House.Record.Frame(t.sequence.ID, *t.scope.Frame)
		if err != nil {
			return err
		}
		return add("log", "queue/log-live", a.liveOf(t, f))
	}
	page, err := a.pageOf(w.Production.Code, w.Query.Get)
	if err != nil {
		return err
	}
	if err := add("verified", "queue/verified", page.Checks); err != nil {
		return err
	}
	if err := add("nodes", "queue/nodes-table", page.Nodes); err != nil {
		return err
	}
	for _, b := range append(page.Batches, page.Finished...) {
		if err := add(fmt.Sprintf("batch-%d", b.ID), "queue/batch-progress", b); err != nil {
			return err
		}
	}
	return nil
}

// legend is one cell of each state.
func legend() []kit.Strip {
	var cells []kit.Strip
	for _, s := range queue.States() {
		one := kit.StripOf([]store.Frame{{State: s}}, kit.CellWidth, nil, false)
		cells = append(cells, one)
	}
	return cells
}
