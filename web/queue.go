package web

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/queue"
	"reelhouse/store"
)

// shownBatch is a batch with its sequences' strips.
type shownBatch struct {
	store.Batch
	Sums      queue.Counts
	Percent   int
	Left      string
	Sequences []shownSequence
	Hidden    int // sequences that are not shown
	Actions   []queue.Event
}

// mostSequences is how many sequences of a batch are shown.
const mostSequences = 100

// worthShowing returns the sequences of a long batch that are shown, in their order: those where something is happening
// or went wrong, then those that are not done, then the others.
func worthShowing(all []store.Sequence, most int) []store.Sequence {
	if len(all) <= most {
		return all
	}
	rank := func(s store.Sequence) int {
		c := s.Counts
		switch {
		case c[queue.Failed]+c[queue.Lost]+c[queue.Rendering]+c[queue.Checking] > 0:
			return 0
		case c.Left()+c[queue.Held] > 0:
			return 1
		}
		return 2
	}
	chosen := slices.Clone(all)
	slices.SortStableFunc(chosen, func(a, b store.Sequence) int { return cmp.Compare(rank(a), rank(b)) })
	chosen = chosen[:most]
	slices.SortFunc(chosen, func(a, b store.Sequence) int { return cmp.Compare(a.Ordinal, b.Ordinal) })
	return chosen
}

type shownSequence struct {
	store.Sequence
	Strip   strip
	Total   int
	Actions []queue.Event
	Failed  *store.Frame // the first frame that has failed or is lost, for its reason
	Waiting string       // the frames that wait for their tiles, "" for none
}

// actions returns what a person may ask for when frames are in these states.
func actions(c queue.Counts) []queue.Event {
	var possible []queue.Event
	for _, e := range queue.PersonsEvents() {
		for _, s := range e.From() {
			if c[s] > 0 {
				possible = append(possible, e)
				break
			}
		}
	}
	return possible
}

func (a *app) showBatch(b store.Batch) (shownBatch, error) {
	shown := shownBatch{Batch: b, Sums: b.Counts()}
	shown.Actions = actions(shown.Sums)
	shown.Percent = 100 * shown.Sums[queue.Good] / max(1, shown.Sums.Total()-shown.Sums[queue.Dropped])
	if d, ok := queue.Remaining(shown.Sums.Left(), b.MeanSeconds(), a.Node.SlotCount()); ok && shown.Sums.Left() > 0 {
		shown.Left = duration(d)
	}
	var waiting map[int64]string
	if shown.Sums[queue.Blocked] > 0 {
		var err error
		if waiting, err = a.waiting(b.ID); err != nil {
			return shown, err
		}
	}
	sequences := worthShowing(b.Sequences, mostSequences)
	shown.Hidden = len(b.Sequences) - len(sequences)
	for _, s := range sequences {
		frames, err := a.House.Record.Frames(s.ID)
		if err != nil {
			return shown, err
		}
		link := func(f store.Frame) string {
			return fmt.Sprintf("/p/%s/frame/%d/%d", b.Plan.Production, s.ID, f.Number)
		}
		q := shownSequence{
			Sequence: s,
			Strip:    stripOf(frames, stripWidth, link, false),
			Total:    s.Counts.Total(),
			Actions:  actions(s.Counts),
			Waiting:  waiting[s.ID],
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

func fillQueue(a *app, v *view) error {
	var shown []shownBatch
	for _, b := range v.Batches {
		s, err := a.showBatch(b)
		if err != nil {
			return err
		}
		shown = append(shown, s)
	}
	v.Page = struct {
		Batches   []shownBatch
		States    []strip
		Verifying shownVerification
	}{shown, legend(), a.verifying(v.Production.Code)}
	return nil
}

// legend is one cell of each state.
func legend() []strip {
	var cells []strip
	for _, s := range queue.States() {
		one := stripOf([]store.Frame{{State: s}}, cellWidth, nil, false)
		cells = append(cells, one)
	}
	return cells
}

// act holds, releases, retries or drops a batch, a sequence or a frame.
func (a *app) act(c *echo.Context) error {
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
	notice := fmt.Sprintf("%s: %s.", past(event), plural(changed, "frame", "frames"))
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
	return a.update(c, answer{production: p, station: queueStation, notice: notice})
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

func plural(n int, one, many string) string {
	if n == 1 {
		return count(n) + " " + one
	}
	return count(n) + " " + many
}

// priority moves a batch in the queue.
func (a *app) priority(c *echo.Context) error {
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
	if err != nil || n < -100 || n > 100 {
		return a.update(
			c,
			answer{
				production: p,
				station:    queueStation,
				notice:     "Not changed: a priority is a whole number from −100 to 100.",
			},
		)
	}
	if err := a.House.Record.SetPriority(id, n); err != nil {
		return err
	}
	a.Changes.Changed()
	return a.update(c, answer{production: p, station: queueStation, notice: fmt.Sprintf("Priority is %d now.", n)})
}

// frame answers with the side sheet of one frame: its state, files and logs.
func (a *app) frame(c *echo.Context) error {
	sequence, number, err := framePlace(c)
	if err != nil {
		return err
	}
	s, b, err := a.sequenceOf(c, sequence)
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
	return c.Render(http.StatusOK, "frame-side", map[string]any{
		"Tiles":    tiles,
		"Timecode": clock.Timecode(number), "Moment": clock.Seconds(number),
		"Code": c.Param(
			"code",
		), "Frame": f, "Sequence": s, "Files": files, "Logs": logs, "Actions": actions(queue.Counts{f.State: 1}),
		"Percent": int(100 * a.Node.Progress(sequence, number, 0)), "Retries": queue.Retries,
		"Print": s.Print(number), "Varies": b.Plan.Varies(s.Spec, s.Renderer),
	})
}

// sequenceOf returns a sequence of the production of the address, with its batch. Those of others are not found.
func (a *app) sequenceOf(c *echo.Context, id int64) (store.Sequence, store.Batch, error) {
	s, err := a.House.Record.Sequence(id)
	if err != nil {
		return s, store.Batch{}, err
	}
	b, err := a.House.Record.BatchAlone(s.BatchID)
	if err == nil && !strings.EqualFold(b.Plan.Production, c.Param("code")) {
		err = fmt.Errorf("sequence %d of production %s: %w", id, c.Param("code"), store.ErrNotFound)
	}
	return s, b, err
}

func framePlace(c *echo.Context) (int64, int, error) {
	sequence, err := echo.PathParam[int64](c, "sequence")
	if err != nil {
		return 0, 0, echo.NewHTTPError(http.StatusNotFound, "There is no such sequence.")
	}
	number, err := echo.PathParam[int](c, "frame")
	if err != nil {
		return 0, 0, echo.NewHTTPError(http.StatusNotFound, "There is no such frame.")
	}
	return sequence, number, nil
}
