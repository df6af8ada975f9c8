package queue

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// shownBatch is a batch with its sequences' strips.
type shownBatch struct {
	store.Batch
	Sums       queue.Counts
	Percent    int
	Left       string
	Sequences  []shownSequence
	Hidden     int // sequences that are not shown
	Actions    []kit.Action
	Prioritise kit.Edit // sets its priority
}

// mostSequences is how many sequences of a batch are shown.
const mostSequences = 40

type shownSequence struct {
	store.Sequence
	Strip   kit.Strip
	Total   int
	Actions []kit.Action
	Screen  string       // address at which it is looked at, "" while nothing is good
	Failed  *store.Frame // the first frame that has failed or is lost, for its reason
	Waiting string       // the frames that wait for their tiles, "" for none
}

// possible returns what a person may ask for when frames are in these states.
func possible(c queue.Counts) []queue.Event {
	var events []queue.Event
	for _, e := range queue.PersonsEvents() {
		for _, s := range e.From() {
			if c[s] > 0 {
				events = append(events, e)
				break
			}
		}
	}
	return events
}

// actionsOf returns the buttons for frames in these states; scope says which, in pairs of name and number.
func actionsOf(production string, c queue.Counts, scope ...string) []kit.Action {
	v := &kit.View{}
	v.Production.Code = production
	var all []kit.Action
	for _, e := range possible(c) {
		act := v.Post("", eventNames[e], "", "act", append(scope, "event", string(e))...)
		if e == queue.Drop {
			act.Confirm = "Drop what is left of this? Finished frames stay."
		}
		all = append(all, act)
	}
	return all
}

// eventNames are what a person asks for.
var eventNames = map[queue.Event]string{
	queue.Hold: "Hold", queue.Release: "Release", queue.Retry: "Retry", queue.Drop: "Drop",
}

// A stateCount is how many frames are in a state.
type stateCount struct {
	State  queue.State
	Frames int
}

// Others returns how many frames are in each state but good.
func (b shownBatch) Others() []stateCount {
	var all []stateCount
	for _, s := range queue.States() {
		if n := b.Sums[s]; n > 0 && s != queue.Good {
			all = append(all, stateCount{s, n})
		}
	}
	return all
}

// Good returns how many frames are good.
func (b shownBatch) Good() int { return b.Sums[queue.Good] }

// Waits says what the batch waits for, "" for nothing but a place.
func (b shownBatch) Waits() string {
	switch {
	case b.Sums[queue.Blocked] == 0:
		return ""
	case b.AfterBatch != 0:
		return fmt.Sprintf("waits for batch %d", b.AfterBatch)
	case b.AfterSequence != 0:
		return fmt.Sprintf("waits for sequence %d", b.AfterSequence)
	}
	return ""
}

// WaitsUntil reports whether it waits for a time.
func (b shownBatch) WaitsUntil() bool { return b.Sums[queue.Blocked] > 0 && !b.Start.IsZero() }

// Good returns how many frames are good.
func (s shownSequence) Good() int { return s.Counts[queue.Good] }

// showBatch returns a batch as it stands.
func (a *page) showBatch(b store.Batch) (shownBatch, error) {
	code, id := b.Plan.Production, strconv.FormatInt(b.ID, 10)
	shown := shownBatch{Batch: b, Sums: b.Counts()}
	shown.Actions = actionsOf(code, shown.Sums, "batch", id)
	v := &kit.View{}
	v.Production.Code = code
	shown.Prioritise = v.Post("", "", "", "priority", "batch", id).Edit
	shown.Percent = 100 * shown.Sums[queue.Good] / max(1, shown.Sums.Total()-shown.Sums[queue.Dropped])
	if d, ok := queue.Remaining(shown.Sums.Left(), b.MeanSeconds(), a.Node.SlotCount()); ok && shown.Sums.Left() > 0 {
		shown.Left = kit.Duration(d)
	}
	var waiting map[int64]string
	if shown.Sums[queue.Blocked] > 0 {
		var err error
		if waiting, err = a.waiting(b.ID); err != nil {
			return shown, err
		}
	}
	sequences, err := a.House.Record.SequencesToShow(b.ID, mostSequences)
	if err != nil {
		return shown, err
	}
	shown.Hidden = b.Parts - len(sequences)
	for _, s := range sequences {
		frames, err := a.House.Record.Frames(s.ID)
		if err != nil {
			return shown, err
		}
		link := func(f store.Frame) string {
			return fmt.Sprintf("/p/%s/frame/%d/%d", code, s.ID, f.Number)
		}
		q := shownSequence{
			Sequence: s,
			Strip:    kit.StripOf(frames, kit.StripWidth, link, false),
			Total:    s.Counts.Total(),
			Actions:  actionsOf(code, s.Counts, "sequence", strconv.FormatInt(s.ID, 10)),
			Waiting:  waiting[s.ID],
		}
		if q.Good() > 0 {
			q.Screen = fmt.Sprintf("/p/%s/screening?sequence=%d", code, s.ID)
		}
		for i := range frames {
			if frames[i].State == queue.Failed || frames[i].State == queue.Lost {
				q.Failed = &frames[i]
				break
			}
		}
		shown.Sequences = append(shown.Sequences, q)
	}
	return shown, nil
}

type queuePage struct {
	Batches   []shownBatch
	States    []kit.Strip
	Verifying shownVerification
}

// fill shows every batch as it stands.
func (a *page) fill(v *kit.View) error {
	page := queuePage{States: legend(), Verifying: a.verifying(v.Production.Code)}
	for _, b := range v.Batches {
		shown, err := a.showBatch(b)
		if err != nil {
			return err
		}
		page.Batches = append(page.Batches, shown)
	}
	v.Page = page
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

// act holds, releases, retries or drops a batch, a sequence or a frame.
func (a *page) act(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	scope, err := scopeOf(c, p.Code)
	if err != nil {
		return err
	}
	event := queue.Event(c.FormValue("event"))
	changed, err := a.House.Record.Apply(scope, event)
	notice := fmt.Sprintf("%s: %s.", past(event), kit.Plural(changed, "frame", "frames"))
	switch {
	case errors.Is(err, store.ErrNotPersons):
		return echo.NewHTTPError(
			http.StatusUnprocessableEntity, "Frames can be held, released, retried and dropped, and nothing else.",
		)
	case errors.Is(err, store.ErrNothing):
		notice = "Nothing was done: " + err.Error() + "."
	case err != nil:
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key, Notice: notice})
}

// scopeOf reads which frames of a production a form is about.
func scopeOf(c *echo.Context, production string) (store.Scope, error) {
	wrong := echo.NewHTTPError(
		http.StatusUnprocessableEntity, "Name a batch or a sequence by its number, and a frame by its own.",
	)
	number := func(name string) (int64, error) {
		if c.FormValue(name) == "" {
			return 0, nil
		}
		return strconv.ParseInt(c.FormValue(name), 10, 64)
	}
	batch, errBatch := number("batch")
	sequence, errSequence := number("sequence")
	frame, errFrame := number("frame")
	scope := store.Scope{Production: production, Batch: batch, Sequence: sequence}
	if errors.Join(errBatch, errSequence, errFrame) != nil || (scope.Batch == 0) == (scope.Sequence == 0) ||
		frame != int64(int(frame)) {
		return scope, wrong
	}
	if c.FormValue("frame") != "" {
		if scope.Sequence == 0 {
			return scope, wrong
		}
		n := int(frame)
		scope.Frame = &n
	}
	return scope, nil
}

func past(e queue.Event) string {
	switch e {
	case queue.Hold:
		return "Held"
	case queue.Release:
		return "Released"
	case queue.Retry:
		return "To be tried again"
	}
	return "Dropped"
}

// priority moves a batch in the queue.
func (a *page) priority(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.FormValue("batch"), 10, 64)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "Name a batch by its number.")
	}
	if b, err := a.House.Record.BatchAlone(id); err != nil {
		return err
	} else if !strings.EqualFold(b.Plan.Production, p.Code) {
		return fmt.Errorf("batch %d of production %s: %w", id, p.Code, store.ErrNotFound)
	}
	n, err := strconv.Atoi(c.FormValue("value"))
	if err != nil || n < -store.MostPriority || n > store.MostPriority {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    key,
				Notice:     "Not changed: a priority is a whole number from −100 to 100.",
			},
		)
	}
	if err := a.House.Record.SetPriority(id, n); err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key, Notice: fmt.Sprintf("Priority is %d now.", n)})
}

// frame answers with the side sheet of one frame: its state, files and logs.
func (a *page) frame(c *echo.Context) error {
	sequence, number, err := kit.FrameOf(c)
	if err != nil {
		return err
	}
	s, b, err := a.SequenceOf(c, sequence)
	if err != nil {
		return err
	}
	f, err := a.House.Record.Frame(sequence, number)
	if err != nil {
		return err
	}
	files, err := a.House.Record.Files(sequence, number)
	if err != nil {
		return err
	}
	logs, err := a.House.Record.Logs(sequence, number)
	if err != nil {
		return err
	}
	tiles, err := a.tileMapOf(b.Plan, s, number)
	if err != nil {
		return err
	}
	clock := b.Plan.Clock()
	shown := shownFrame{
		Frame: f, Spec: s.Spec, Tiles: tiles, Files: files, Logs: logs, Tries: work.UsualTries,
		Address:  fmt.Sprintf("/p/%s/frame/%d/%d", b.Plan.Production, s.ID, number),
		Timecode: clock.Timecode(number), Moment: clock.Seconds(number),
		Percent: int(100 * a.Node.Progress(sequence, number, 0)),
		Print:   string(s.Print(number)), Varies: b.Plan.Varies(s.Spec, s.Renderer),
	}
	shown.Actions = actionsOf(b.Plan.Production, queue.Counts{f.State: 1},
		"sequence", strconv.FormatInt(s.ID, 10), "frame", strconv.Itoa(number))
	if f.State == queue.Good {
		shown.Screen = fmt.Sprintf("/p/%s/screening?sequence=%d&frame=%d", b.Plan.Production, s.ID, number)
	}
	return c.Render(http.StatusOK, "queue/frame-side", shown)
}

// A shownFrame is a frame as its side sheet shows it.
type shownFrame struct {
	store.Frame
	Spec     plan.Sequence
	Address  string // of the side sheet
	Timecode frame.Timecode
	Moment   float64 // seconds from the first frame
	Percent  int     // that is rendered, while it is
	Tries    int     // how often it is tried
	Tiles    *tileMap
	Actions  []kit.Action
	Screen   string // address at which it is looked at, "" while it is not good
	Files    []store.File
	Print    string // its fingerprint, "" if that is not known
	Varies   string // why the same set-up may still give other bytes, "" for nothing
	Logs     []store.Log
}

// Is reports whether the frame is in a state.
func (f shownFrame) Is(state string) bool { return string(f.State) == state }

// Follows reports whether the side sheet changes by itself.
func (f shownFrame) Follows() bool { return f.Tiles != nil && f.State != queue.Good }
