package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/cut"
	"reelhouse/core/edit"
	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
)

// The edit as a strip of tracks: pixels of an SVG that is as wide as it needs to be.
const (
	cutWidth   = 1000.0
	cutLeft    = 40.0
	cutTrack   = 58 // from one track to the next
	cutClip    = 48
	cutTop     = 24
	leastFrame = 0.02 // pixels of a record frame
)

// cutPage is the edit: what plays when.
type cutPage struct {
	Cut           cut.Cut
	Width, Height float64
	Left, Scale   float64 // of a record frame
	Ticks         []cutTick
	Tracks        []cutTrackRow
	Gaps          []chartPart
	Length        int
	Timecode      bool // numbers are shown as timecode
	Chosen        *chosenClip
	Head          int // record frame of the play head
	Play          string
	Shots         []option
	Places        []cut.Place
	Use           []cutUse
	Start         string // record timecode of the first frame
	Seconds       float64
	Loose         int    // clips that are no shot
	Wave          string // outline of the sound, as a path of the strip; "" for none
	WaveY         float64
}

type cutTick struct {
	X    float64
	Text string
}

type cutTrackRow struct {
	Index int
	Y     int
	Muted bool
	Clips []shownClip
}

// shownClip is a clip with the numbers at both of its ends.
type shownClip struct {
	cut.Clip
	Track, Index int
	X, Wide      float64
	RecordIn     string
	RecordOut    string
	SourceIn     string
	SourceOut    string
	Unknown      bool // it is no shot
	Chosen       bool
	Numbers      bool // there is room for the numbers at its ends
}

type chosenClip struct {
	shownClip
	Place string // track and index
	Speed string
	Views []option
	Notes string
}

// cutUse is how much of a shot the cut shows.
type cutUse struct {
	Code    string
	Has     int // frames of the shot
	Used    frame.Set
	Unused  int
	Missing int
}

// numberOf writes a frame, or its timecode.
func numberOf(asTimecode bool, clock frame.Clock, number, frames int) string {
	if !asTimecode {
		return strconv.Itoa(frames)
	}
	day := max(1, clock.Day())
	return clock.Count.Timecode(((number % day) + day) % day).String()
}

func fillCut(a *app, v *view) error {
	p := v.Production.Production
	clock := p.Clock()
	page := cutPage{
		Cut:      p.Cut,
		Width:    cutWidth,
		Left:     cutLeft,
		Length:   p.Cut.Length(),
		Timecode: v.query("as") == "timecode",
		Places:   cut.Places(),
	}
	page.Seconds = clock.Seconds(clock.First + page.Length)
	page.Start = clock.Count.Timecode(p.Cut.Start).String()
	page.Head, _ = strconv.Atoi(v.query("head"))
	page.Head = max(0, min(page.Head, page.Length-1))
	page.Scale = max(leastFrame, (cutWidth-cutLeft-12)/float64(max(24, page.Length)))
	record := func(n int) string { return numberOf(page.Timecode, clock, p.Cut.Start+n, n) }
	source := func(n int) string {
		return numberOf(page.Timecode, clock, clock.Number(clock.Timecode(n)), n)
	}
	step := 1
	for _, nice := range []int{2, 6, 12, 24, 48, 120, 240, 480, 1440, 2880, 7200, 14400, 43200, 144000, 1440000} {
		if float64(step)*page.Scale < 85 {
			step = nice
		}
	}
	for n := 0; n <= page.Length; n += step {
		page.Ticks = append(page.Ticks, cutTick{cutLeft + float64(n)*page.Scale, record(n)})
	}
	for k := len(p.Cut.Tracks) - 1; k >= 0; k-- {
		t := p.Cut.Tracks[k]
		row := cutTrackRow{Index: k, Y: cutTop + (len(p.Cut.Tracks)-1-k)*cutTrack, Muted: t.Muted}
		for i, clip := range t.Clips {
			_, known := p.FindShot(clip.Shot)
			c := shownClip{
				Clip: clip, Track: k, Index: i, X: cutLeft + float64(clip.Record)*page.Scale,
				Wide: max(2, float64(clip.Length)*page.Scale), Unknown: !known,
				RecordIn: record(clip.Record), RecordOut: record(clip.End() - 1), SourceIn: source(clip.Source),
				SourceOut: source(clip.SourceLast()),
			}
			c.Numbers = c.Wide > 84 && (!page.Timecode || c.Wide > 150)
			if !known {
				page.Loose++
			}
			if place := fmt.Sprintf("%d %d", k, i); place == v.Open {
				c.Chosen = true
				over, under := clip.Speed.Fraction()
				page.Chosen = &chosenClip{
					shownClip: c,
					Place:     place,
					Speed:     strconv.FormatFloat(100*float64(over)/float64(under), 'f', -1, 64),
					Views:     viewOptions(p, clip.Shot),
					Notes:     strings.Join(clip.Notes, "; "),
				}
			}
			row.Clips = append(row.Clips, c)
		}
		page.Tracks = append(page.Tracks, row)
	}
	page.Height = float64(cutTop + max(1, len(p.Cut.Tracks))*cutTrack)
	for _, s := range p.Cut.Seen() {
		if s.Gap() {
			page.Gaps = append(
				page.Gaps, chartPart{cutLeft + float64(s.From)*page.Scale, float64(s.To-s.From) * page.Scale},
			)
		}
	}
	for _, s := range p.Shots {
		page.Shots = append(page.Shots, option{s.Code, s.Code + " " + s.Name})
	}
	frames, err := p.CutFrames()
	if err != nil {
		return err
	}
	for _, s := range p.Shots {
		used := frames[s.Code]
		rendered := p.RenderedOf(s)
		page.Use = append(
			page.Use,
			cutUse{
				s.Code, p.OwnFrames(s).Count(), used, p.OwnFrames(s).Minus(used).Count(), used.Minus(rendered).Count(),
			},
		)
	}
	if p.Cut.Sound.SHA256 != "" {
		w, err := a.House.Assets.Waveform(p.Cut.Sound)
		if err != nil {
			return err
		}
		page.WaveY = page.Height + waveHigh/2
		page.Height += waveHigh
		page.Wave = outline(w, cutLeft, page.Scale*p.Rate.PerSecond(), page.WaveY, cutWidth)
	}
	page.Play, err = a.playlist(v)
	v.Page = page
	return err
}

// waveHigh is how much of the strip the sound takes.
const waveHigh = 40.0

// outline draws a waveform round a line, as far as the strip goes; a second is so many pixels wide.
func outline(w cut.Waveform, left, second, y, most float64) string {
	var up, down []string
	for i, p := range w.Peaks {
		x := left + (float64(i)+0.5)/float64(len(w.Peaks))*w.Seconds*second
		if x > most {
			break
		}
		up = append(up, fmt.Sprintf("%.1f %.1f", x, y-float64(p[1])*waveHigh/2))
		down = append(down, fmt.Sprintf("%.1f %.1f", x, y-float64(p[0])*waveHigh/2))
	}
	if len(up) == 0 {
		return ""
	}
	slices.Reverse(down)
	return "M" + strings.Join(append(up, down...), "L") + "Z"
}

// bringSound takes in a sound that plays along with the cut.
func (a *app) bringSound(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	file, name, err := uploaded(c, "choose a .wav file")
	var s cut.Sound
	if err == nil {
		defer file.Close()
		s, err = a.House.Assets.ImportSound(name, file)
	}
	if err != nil {
		return a.update(
			c,
			answer{
				production: p,
				station:    cutStation,
				mistake:    mistake{Where: "cut", Field: "file", Message: err.Error()},
			},
		)
	}
	return a.do(c, edit.SetSound{Sound: s})
}

// sound answers with the sound of the cut.
func (a *app) sound(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	path := a.House.Assets.SoundPath(p.Cut.Sound)
	if path == "" {
		return echo.NewHTTPError(http.StatusNotFound, "The cut has no sound.")
	}
	http.ServeFile(c.Response(), c.Request(), path)
	return nil
}

// viewOptions are the views of a shot.
func viewOptions(p production.Production, code string) []option {
	options := []option{{"", "its first view"}}
	if s, ok := p.FindShot(code); ok {
		for _, v := range p.ViewsOf(s) {
			options = append(options, option{v.Code, v.Code})
		}
	}
	return options
}

// A playedSpan is what the player shows over some record frames: a view under a look, and the finished frames that
// there are of it.
type playedSpan struct {
	From, To int    // before To
	Title    string // "" for a gap
	View     string
	Look     string
	Size     string
	Record   int // of the clip's first frame, which shows Source
	Source   int
	Over     int // speed
	Under    int
	Sequence int64    `json:",omitempty"` // of the finished frames
	Done     [][2]int `json:",omitempty"` // runs of them
}

// playlist returns everything that the player needs to know, as JSON.
func (a *app) playlist(v *view) (string, error) {
	p := v.Production.Production
	done := map[cut.Use]*playedSpan{}
	var spans []playedSpan
	for _, s := range p.Cut.Seen() {
		shown := playedSpan{From: s.From, To: s.To}
		shot, known := p.FindShot(s.Clip.Shot)
		views := p.ViewsOf(shot)
		if !s.Gap() && known && len(views) > 0 {
			view := views[0]
			if i := slices.IndexFunc(views, func(w production.View) bool { return w.Code == s.Clip.View }); i >= 0 {
				view = views[i]
			}
			shown.Title, shown.View, shown.Look = s.Clip.Title(), view.Code, p.LookOf(shot, view)
			if sizes := p.SizesOf(shot); len(sizes) > 0 {
				shown.Size = sizes[0]
			}
			shown.Record, shown.Source = s.Clip.Record, s.Clip.Source
			shown.Over, shown.Under = s.Clip.Speed.Fraction()
			use := cut.Use{Shot: shot.Code, View: view.Code}
			if done[use] == nil {
				found, err := a.finished(v, use)
				if err != nil {
					return "", err
				}
				done[use] = &found
			}
			shown.Sequence, shown.Done = done[use].Sequence, done[use].Done
		} else if !s.Gap() {
			shown.Title = s.Clip.Title()
		}
		spans = append(spans, shown)
	}
	text, err := json.Marshal(spans)
	return string(text), err
}

// cutPlay answers with the playlist as it is now, while frames are being finished.
func (a *app) cutPlay(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	v := &view{Production: p}
	if v.Batches, err = a.House.Record.Batches(p.Code); err != nil {
		return err
	}
	text, err := a.playlist(v)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSONBlob(http.StatusOK, []byte(text))
}

// finished returns the newest sequence of a shot's view that has good frames, and which those are.
func (a *app) finished(v *view, use cut.Use) (playedSpan, error) {
	for _, b := range v.Batches {
		for _, q := range b.Sequences {
			if q.Spec.Shot != use.Shot || q.Spec.View != use.View || q.Counts[queue.Good] == 0 {
				continue
			}
			frames, err := a.House.Record.Frames(q.ID)
			if err != nil {
				return playedSpan{}, err
			}
			var good []int
			for _, f := range frames {
				if f.State == queue.Good {
					good = append(good, f.Number)
				}
			}
			found := playedSpan{Sequence: q.ID}
			for _, r := range frame.SetOf(good).Runs() {
				if r.Step == 1 {
					found.Done = append(found.Done, [2]int{r.First, r.Last})
					continue
				}
				for n := r.First; n <= r.Last; n += r.Step {
					found.Done = append(found.Done, [2]int{n, n})
				}
			}
			return found, nil
		}
	}
	return playedSpan{}, nil
}

// exportCut answers with the cut as a file.
func (a *app) exportCut(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	format := c.QueryParam("format")
	if !slices.Contains(house.CutFormats(), format) {
		return echo.NewHTTPError(http.StatusNotFound, "A cut is written as otio or edl.")
	}
	data, _, err := house.WriteCut(format, p.Production)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", p.Code+"_cut."+format))
	return c.Blob(http.StatusOK, "text/plain; charset=utf-8", data)
}

// bringCut takes a cut from a file, in the place of the one that is there.
func (a *app) bringCut(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	wrong := func(err error) error {
		return a.update(
			c,
			answer{
				production: p,
				station:    cutStation,
				mistake:    mistake{Where: "cut", Field: "file", Message: err.Error()},
			},
		)
	}
	file, err := c.FormFile("file")
	if err != nil {
		return wrong(fmt.Errorf("no file was chosen"))
	}
	f, err := file.Open()
	if err != nil {
		return err
	}
	defer f.Close()
	r, left, err := house.ReadCut(file.Filename, f, p.Production)
	if err != nil {
		return wrong(err)
	}
	said := append(slices.Clone(r.Changed), r.Dropped...)
	if left > 0 {
		said = append(said, fmt.Sprintf("%s no shot of this production", plural(left, "clip is", "clips are")))
	}
	const most = 6
	if len(said) > most {
		said = append(said[:most], fmt.Sprintf("and %d more", len(said)-most))
	}
	return a.do(c, edit.ImportCut{File: file.Filename, Note: noted(said), Cut: r.Cut})
}

func noted(texts []string) string {
	if len(texts) == 0 {
		return ""
	}
	return " (" + strings.Join(texts, "; ") + ")"
}
