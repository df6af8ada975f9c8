package cut

import (
	"archive/zip"
	"bytes"
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
	"reelhouse/web/kit"
)

// The edit as a strip of tracks: pixels of an SVG that is as wide as it needs to be.
const (
	cutWidth   = 1000.0
	cutLeft    = 40.0
	cutTrack   = 58 // from one track to the next
	cutClip    = 48
	cutTop     = 24
	leastFrame = 0.02 // pixels of a record frame
	mostEdits  = 2000 // that are marked on the ruler
)

// cutPage is the edit: what plays when.
type cutPage struct {
	Cut           cut.Cut
	Width, Height float64
	Left, Scale   float64 // of a record frame
	Ticks         []cutTick
	Edits         []cutTick // where what is seen changes
	Tracks        []cutTrackRow
	Gaps          []kit.ChartPart
	Length        int
	Timecode      bool // numbers are shown as timecode
	Chosen        *chosenClip
	Head          int // record frame of the play head
	Play          string
	Shots         []kit.Option
	Places        []kit.Option // where a clip is added
	Rebuild       kit.Action
	AddClip       kit.Edit
	StartField    kit.Field
	RemoveSound   kit.Action
	MakeShots     kit.Edit
	ConformAll    kit.Action
	Close         *kit.Action // where something follows the last clip
	Use           []cutUse
	Seconds       float64
	NotInList     []string // what an edit decision list leaves out or has otherwise
	NotInTimeline []string // what a timeline had, and has no place for any more
	Loose         int      // clips that are no shot
	Wave          string   // outline of the sound, as a path of the strip; "" for none
	WaveY         float64
	Movie         quickMovie
}

type cutTick struct {
	X    float64
	Text string
}

type cutTrackRow struct {
	Index int
	Y     int
	Muted bool
	Mute  kit.Action
	Clips []shownClip
}

// shownClip is a clip as it is drawn.
type shownClip struct {
	cut.Clip
	Track, Index int
	X, Wide      float64
	Y            int
	RecordIn     string
	RecordOut    string
	SourceIn     string
	SourceOut    string
	Unknown      bool // it is no shot
	Chosen       bool
	Numbers      bool // there is room for its source range
}

// A chosenClip is the clip that is edited.
type chosenClip struct {
	shownClip
	Fields []kit.Field
	Remove kit.Action
	Notes  string
}

// cutUse is how much of a shot the cut shows.
type cutUse struct {
	Code    string
	Has     int // frames of the shot
	Used    frame.Set
	Unused  int
	Missing int
	Conform kit.Action
}

// Differs reports whether a shot has other frames than are shown of it.
func (u cutUse) Differs() bool { return u.Used.Count() > 0 && (u.Unused > 0 || u.Missing > 0) }

// conform returns the action that gives a shot just the frames that are shown of it.
func conform(v *kit.View, shot string) kit.Action {
	a := v.Do("follow-"+shot, "Conform to cut", "The shot gets just the frames that are shown; handles come on top",
		"cut.conform")
	return a.Telling("of", shot)
}

// placeOptions are where a clip can be added.
func placeOptions() []kit.Option {
	return kit.Options(cut.Places(), func(place cut.Place) string {
		switch place {
		case "end":
			return "at the end"
		case "head":
			return "at the playhead"
		case "after":
			return "after the chosen clip"
		case "before":
			return "before the chosen clip"
		}
		return "at the beginning"
	})
}

// muteOf returns the action that mutes a track, or shows it again.
func muteOf(v *kit.View, track int, muted bool) kit.Action {
	label := fmt.Sprintf("Mute track %d", track+1)
	if muted {
		label = fmt.Sprintf("Track %d is muted: show it again", track+1)
	}
	return v.Do("mute-"+strconv.Itoa(track), label, "", "track.mute").
		Setting("track", strconv.Itoa(track), "muted", strconv.FormatBool(!muted))
}

// chosen returns a clip with what is edited of it.
func chosen(v *kit.View, c shownClip) *chosenClip {
	p, part := v.Production.Production, v.Part("clip", "").At("cut")
	at := []string{"set.track", strconv.Itoa(c.Track), "set.clip", strconv.Itoa(c.Index)}
	field := func(f kit.Field) kit.Field {
		for i := 0; i < len(at); i += 2 {
			f = f.Telling(at[i], at[i+1])
		}
		return f
	}
	number := func(name, label string, value any) kit.Field {
		f := field(part.Field(name, label, value)).Styled("mono", 7)
		f.ID = "clip-" + name
		return f
	}
	over, under := c.Speed.Fraction()
	var shots []kit.Option
	if c.Unknown {
		shots = append(shots, kit.Option{Value: "", Text: "no shot"})
	}
	for _, s := range p.Shots {
		shots = append(shots, kit.Option{Value: s.Code, Text: s.Code + " " + s.Name})
	}
	out := &chosenClip{
		shownClip: c,
		Notes:     strings.Join(c.Notes, "; "),
		Fields: []kit.Field{
			number("record", "Record in", c.Record), number("length", "Frames", c.Length),
			number("source", "Source in", c.Source),
			number("speed", "Speed in %, 0 to hold", kit.Number(100*float64(over)/float64(under))),
			field(part.Field("shot", "Shot", c.Shot)).Among(shots),
			field(part.Field("view", "View", c.View)).Among(viewOptions(p, c.Shot)),
			field(part.Tick("muted", "muted", c.Muted)),
		},
		Remove: part.Action("remove", "Remove", "").Telling(at...),
	}
	return out
}

// numberOf writes a frame, or its timecode.
func numberOf(asTimecode bool, clock frame.Clock, number, frames int) string {
	if !asTimecode {
		return strconv.Itoa(frames)
	}
	day := max(1, clock.Day())
	return clock.Count.Timecode(((number % day) + day) % day).String()
}

func (a *page) fill(v *kit.View) error {
	p := v.Production.Production
	clock := p.Clock()
	page := cutPage{
		Cut:      p.Cut,
		Width:    cutWidth,
		Left:     cutLeft,
		Length:   p.Cut.Length(),
		Timecode: v.Query("as") == "timecode",
		Places:   placeOptions(),
		Rebuild: v.Do(
			"rebuild", "Rebuild from shots", "In the place of this one; undo brings it back", "cut.rebuild",
		),
		AddClip:     v.Do("", "", "", "clip.add").Edit,
		RemoveSound: v.Do("remove-sound", "Remove", "", "cut.remove-sound"),
		MakeShots:   v.Do("", "", "", "cut.make-shots").Edit,
		ConformAll:  v.Do("follow-all", "Conform all shots to the cut", "", "cut.conform"),
	}
	if p.Cut.Trailing() > 0 && !p.Cut.Empty() {
		end := v.Do("close", "End with the last clip", "Cuts off the gap behind it", "cut.close")
		page.Close = &end
	}
	page.Seconds = clock.Seconds(clock.First + page.Length)
	if _, said, err := house.WriteCut("edl", p); err != nil {
		page.NotInList = []string{err.Error()}
	} else {
		page.NotInList = said
	}
	if p.Cut.Keeps() {
		if _, said, err := house.WriteCut("otio", p); err == nil {
			page.NotInTimeline = said
		}
	}
	page.StartField = v.Part("cut", "").
		Field("start", "Record timecode of the first frame", clock.Count.Timecode(p.Cut.Start)).Mono(0)
	page.Head, _ = strconv.Atoi(v.Query("head"))
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
		row := cutTrackRow{
			Index: k, Y: cutTop + (len(p.Cut.Tracks)-1-k)*cutTrack, Muted: t.Muted, Mute: muteOf(v, k, t.Muted),
		}
		for i, clip := range t.Clips {
			_, known := p.FindShot(clip.Shot)
			c := shownClip{
				Clip: clip, Track: k, Index: i, Y: row.Y, X: cutLeft + float64(clip.Record)*page.Scale,
				Wide: max(2, float64(clip.Length)*page.Scale), Unknown: !known,
				RecordIn: record(clip.Record), RecordOut: record(clip.End() - 1), SourceIn: source(clip.Source),
				SourceOut: source(clip.SourceLast()),
			}
			c.Numbers = c.Wide > 34+7*float64(len(c.Title())+len(c.SourceIn)+len(c.SourceOut))
			if !known {
				page.Loose++
			}
			if place := fmt.Sprintf("%d %d", k, i); place == v.Open {
				c.Chosen = true
				page.Chosen = chosen(v, c)
				page.AddClip = page.AddClip.Setting("track", strconv.Itoa(k), "clip", strconv.Itoa(i))
			}
			row.Clips = append(row.Clips, c)
		}
		page.Tracks = append(page.Tracks, row)
	}
	page.Height = float64(cutTop + max(1, len(p.Cut.Tracks))*cutTrack)
	for _, s := range p.Cut.Seen() {
		if len(page.Edits) < mostEdits {
			page.Edits = append(page.Edits, cutTick{cutLeft + float64(s.From)*page.Scale, record(s.From)})
		}
		if s.Gap() {
			from, wide := float64(s.From)*page.Scale, float64(s.To-s.From)*page.Scale
			page.Gaps = append(page.Gaps, kit.ChartPart{X: cutLeft + from, Width: wide})
		}
	}
	for _, s := range p.Shots {
		page.Shots = append(page.Shots, kit.Option{Value: s.Code, Text: s.Code + " " + s.Name})
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
				Code: s.Code, Has: p.OwnFrames(s).Count(), Used: used, Unused: p.OwnFrames(s).Minus(used).Count(),
				Missing: used.Minus(rendered).Count(), Conform: conform(v, s.Code),
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
	page.Movie = a.movieOf(p)
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
func (a *page) bringSound(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	file, name, err := kit.Uploaded(c, "choose a .wav file")
	var s cut.Sound
	if err == nil {
		defer file.Close()
		s, err = a.House.Assets.ImportSound(name, file)
	}
	if err != nil {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    key,
				Mistake:    kit.Mistake{Where: "cut", Field: "file", Message: err.Error()},
			},
		)
	}
	return a.Do(c, edit.SetSound{Sound: s})
}

// sound answers with the sound of the cut.
func (a *page) sound(c *echo.Context) error {
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
func viewOptions(p production.Production, code string) []kit.Option {
	options := []kit.Option{{Value: "", Text: "its first view"}}
	if s, ok := p.FindShot(code); ok {
		for _, v := range p.ResolvedShot(s).Views {
			options = append(options, kit.Option{Value: v.Code, Text: v.Code})
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
func (a *page) playlist(v *kit.View) (string, error) {
	p := v.Production.Production
	done, shots := map[cut.Use]*playedSpan{}, map[string]production.RenderedShot{}
	for _, shot := range v.Draft.Set.Shots {
		shots[shot.Shot.Code] = shot
	}
	var spans []playedSpan
	for _, s := range p.Cut.Seen() {
		shown := playedSpan{From: s.From, To: s.To}
		shot, known := shots[s.Clip.Shot]
		if view, seen := shot.Seen(s.Clip.View); !s.Gap() && known && seen {
			shown.Title, shown.View = s.Clip.Title(), view.Code
			if view.Look != nil {
				shown.Look = view.Look.Code
			}
			if len(shot.Sizes) > 0 {
				shown.Size = shot.Sizes[0].Code
			}
			shown.Record, shown.Source = s.Clip.Record, s.Clip.Source
			shown.Over, shown.Under = s.Clip.Speed.Fraction()
			use := cut.Use{Shot: shot.Shot.Code, View: view.Code}
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
func (a *page) cutPlay(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	v := &kit.View{Production: p}
	v.Draft.Set = p.Resolve()
	text, err := a.playlist(v)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSONBlob(http.StatusOK, []byte(text))
}

// finished returns the newest sequence of a shot's view that has good frames, and which those are.
func (a *page) finished(v *kit.View, use cut.Use) (playedSpan, error) {
	id, known, err := a.House.Record.NewestGood(v.Production.Code, use.Shot, use.View)
	if err != nil || !known {
		return playedSpan{}, err
	}
	frames, err := a.House.Record.Frames(id)
	if err != nil {
		return playedSpan{}, err
	}
	var good []int
	for _, f := range frames {
		if f.State == queue.Good {
			good = append(good, f.Number)
		}
	}
	found := playedSpan{Sequence: id}
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

// exportCut answers with the cut as a file.
func (a *page) exportCut(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	format := c.QueryParam("format")
	if !slices.Contains(house.CutFormats(), format) {
		return echo.NewHTTPError(http.StatusNotFound, "A cut is written as otio or edl.")
	}
	files, _, err := house.WriteCut(format, p.Production)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The cut cannot be written: "+err.Error()+".")
	}
	name := p.Code + "_cut."
	if len(files) == 1 {
		c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+format))
		return c.Blob(http.StatusOK, "text/plain; charset=utf-8", files[0])
	}
	var b bytes.Buffer
	archive := zip.NewWriter(&b)
	for i, data := range files {
		w, err := archive.Create(fmt.Sprintf("%s_cut_%d.%s", p.Code, i+1, format))
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
	}
	if err := archive.Close(); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"zip"))
	return c.Blob(http.StatusOK, "application/zip", b.Bytes())
}

// bringCut takes a cut from a file, in the place of the one that is there.
func (a *page) bringCut(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	wrong := func(err error) error {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    key,
				Mistake:    kit.Mistake{Where: "cut", Field: "file", Message: err.Error()},
			},
		)
	}
	form, err := c.MultipartForm()
	if err != nil {
		return wrong(fmt.Errorf("no file was chosen"))
	}
	var files []house.CutFile
	for _, header := range form.File["file"] {
		f, err := header.Open()
		if err != nil {
			return err
		}
		defer f.Close()
		files = append(files, house.CutFile{Name: header.Filename, Data: f})
	}
	slices.SortFunc(files, func(a, b house.CutFile) int { return strings.Compare(a.Name, b.Name) })
	r, left, err := house.ReadCut(files, p.Production)
	if err != nil {
		return wrong(err)
	}
	var said []string
	if n := len(r.Cut.Said); n > 0 {
		said = append(said, kit.Plural(n, "difference", "differences")+" from the file")
	}
	if left > 0 {
		said = append(said, kit.Plural(left, "clip is", "clips are")+" no shot of this production")
	}
	return a.Do(c, edit.ImportCut{File: r.Cut.From, Note: noted(said), Cut: r.Cut})
}

func noted(texts []string) string {
	if len(texts) == 0 {
		return ""
	}
	return " (" + strings.Join(texts, "; ") + ")"
}
