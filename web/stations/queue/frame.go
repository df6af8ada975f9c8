package queue

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/store"
	"reelhouse/web/kit"
)

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
	page := b.Plan.Production
	if other := c.QueryParam("page"); other != "" { // the one beside which the sheet is
		p, err := a.House.Record.Production(other)
		if err != nil {
			return err
		}
		page = p.Code
	}
	clock := b.Plan.Clock()
	shown := shownFrame{
		Frame: f, Spec: s.Spec, Tiles: tiles, Files: files, Logs: logs, Tries: work.UsualTries, Of: b.Plan.Production,
		Address:  frameLink(page, b.Plan.Production, f),
		Task:     s.Task(number, 0).String(),
		Timecode: clock.Timecode(number), Moment: clock.Seconds(number),
		Percent: int(100 * a.Node.Progress(sequence, number, 0)),
		Print:   string(s.Print(number)), Varies: b.Plan.Varies(s.Spec, s.Renderer),
	}
	shown.Log = logLink(page, shown.Task, 0, 0, "")
	shown.Actions = actionsOf(page, b.Plan.Production, queue.Counts{f.State: 1},
		"sequence", strconv.FormatInt(s.ID, 10), "frame", strconv.Itoa(number))
	if t, taken := s.Spec.TakenAt(number); taken {
		shown.Reused = t.Version
	}
	if f.State == queue.Good && shown.Reused == 0 {
		label := "Render again"
		if s.Follows > 0 {
			label = "Make again"
		}
		shown.Actions = append(shown.Actions, post(page, fmt.Sprintf("again-%d-%d", s.ID, number), label, "again",
			"sequence", strconv.FormatInt(s.ID, 10), "frame", strconv.Itoa(number), "production", b.Plan.Production))
	}
	if s.Follows > 0 {
		print, err := a.House.Record.MadeFrom(s.ID, number)
		if err != nil {
			return err
		}
		shown.Print, shown.Varies = string(print), ""
	}
	if f.State == queue.Good && s.Follows == 0 {
		shown.Screen = fmt.Sprintf("/p/%s/screening?sequence=%d&frame=%d", b.Plan.Production, s.ID, number)
	}
	return c.Render(http.StatusOK, "queue/frame-side", shown)
}

// A shownFrame is a frame as its side sheet shows it.
type shownFrame struct {
	store.Frame
	Spec     plan.Sequence
	Address  string // of the side sheet
	Task     string // its address in the queue
	Timecode frame.Timecode
	Moment   float64 // seconds from the first frame
	Reused   int     // the version as which it was rendered, if it was taken over from that; 0 if not
	Percent  int     // that is rendered, while it is
	Tries    int     // how often it is tried
	Tiles    *tileMap
	Actions  []kit.Action
	Screen   string // address at which it is looked at, "" while it is not good
	Files    []store.File
	Print    string // its fingerprint, "" if that is not known
	Varies   string // why the same set-up may still give other bytes, "" for nothing
	Logs     []store.Log
	Log      string // where it is shown as a page
	Of       string // code of the production
}

// DownloadOf returns the address of one of its files.
func (f shownFrame) DownloadOf(path string) string {
	return fmt.Sprintf("/p/%s/download/%d/%d?%s", f.Of, f.SequenceID, f.Number, url.Values{"path": {path}}.Encode())
}

// Is reports whether the frame is in a state.
func (f shownFrame) Is(state string) bool { return string(f.State) == state }

// Follows reports whether the side sheet changes by itself.
func (f shownFrame) Follows() bool { return f.Tiles != nil && f.State != queue.Good }
