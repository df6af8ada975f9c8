// Package cut is the edit: which frames of which shot play when. Clips lie on tracks; where clips of several tracks lie
// over each other, the upper track covers the lower ones, and what is muted is skipped.
//
// Frames of the cut are counted from 0, record frames; frames of the scene are source frames, numbered as everywhere in
// the house. A clip shows Length record frames from Record on, the first of them being the source frame Source. At
// another speed than 1 the source frame of the k-th record frame is Source + floor(k x speed); at speed 0 it is held.
//
// Cuts are read and written as OpenTimelineIO (.otio: JSON, schemas Timeline.1, Stack.1, Track.1, Clip.1 and .2, Gap.1,
// Transition.1, LinearTimeWarp.1, FreezeFrame.1; ASWF) and as edit decision lists in the form known as CMX 3600, whose
// rules are common practice: there is no published standard. What a timeline says and a cut has no place for is kept as
// it came, and written out again where it hung.
package cut

import (
	"cmp"
	"fmt"
	"slices"

	"reelhouse/core/frame"
)

// A Cut is shots in playing order.
type Cut struct {
	// Tracks are from the lowest up.
	Tracks []Track `json:"tracks,omitempty"`
	// Start is the record timecode of record frame 0, in frames after midnight.
	Start int `json:"start,omitempty"`
	// Sound is an audio file that plays along from record frame 0; the zero value for none.
	Sound Sound `json:"sound,omitzero"`
	// Name is what the file that it was read from calls it, From that file's name, and Said what the cut has otherwise
	// than the file, or not at all.
	Name string   `json:"name,omitempty"`
	From string   `json:"from,omitempty"`
	Said []string `json:"said,omitempty"`
	// Kept is of the timeline and of its stack; Others lie between the tracks.
	Kept   Kept         `json:"kept,omitempty"`
	Stack  Kept         `json:"stack,omitempty"`
	Others []OtherTrack `json:"others,omitempty"`
}

// A Sound is an audio file, named by its content; without one it is known by its name only.
type Sound struct {
	Name    string  `json:"name"`
	SHA256  string  `json:"sha256,omitempty"`
	Seconds float64 `json:"seconds,omitempty"`
}

// A Track is clips that follow each other, in the order of their record frames; none lies over another.
type Track struct {
	Name  string `json:"name,omitempty"`
	Muted bool   `json:"muted,omitempty"`
	Clips []Clip `json:"clips"`
	// Until is the record frame that the track goes on to, with nothing, where that is after its last clip.
	Until int     `json:"until,omitempty"`
	After []Other `json:"after,omitempty"` // behind the last clip
	Kept  Kept    `json:"kept,omitempty"`
}

// End returns the record frame after the last one of the track.
func (t Track) End() int {
	if n := len(t.Clips); n > 0 {
		return max(t.Until, t.Clips[n-1].End())
	}
	return t.Until
}

// A Clip is frames of a shot in the cut.
type Clip struct {
	Shot   string   `json:"shot,omitempty"` // its code; "" for pictures that are no shot
	View   string   `json:"view,omitempty"` // which of the shot's views; "" for the first
	Name   string   `json:"name,omitempty"`
	Reel   string   `json:"reel,omitempty"`
	Record int      `json:"record"`
	Length int      `json:"length"`
	Source int      `json:"source"`
	Speed  Speed    `json:"speed,omitzero"`
	Muted  bool     `json:"muted,omitempty"`
	Notes  []string `json:"notes,omitempty"` // such as transitions, which are not made here
	Before []Other  `json:"before,omitempty"`
	Kept   Kept     `json:"kept,omitempty"`
}

// A Speed is how many source frames pass in a record frame, as a fraction; below 0 backwards. The zero value is the
// speed 1; a fraction of 0 is a held frame.
type Speed struct {
	Over  int `json:"over"`
	Under int `json:"under"`
}

// Hold is the speed of a held frame.
var Hold = Speed{0, 1}

// Fraction returns the speed's fraction.
func (s Speed) Fraction() (over, under int) {
	if s.Under <= 0 {
		return 1, 1
	}
	return s.Over, s.Under
}

// Usual reports whether the speed is 1.
func (s Speed) Usual() bool { over, under := s.Fraction(); return over == under }

func (s Speed) String() string {
	over, under := s.Fraction()
	if over == 0 {
		return "held"
	}
	return fmt.Sprintf("%g %%", 100*float64(over)/float64(under))
}

// Limits of a cut.
const (
	MaxFrames = 10_000_000 // record frames
	MaxClips  = 50_000
	MaxTracks = 64
	maxSpeed  = 1000
)

// Title returns what the clip is called for people.
func (c Clip) Title() string {
	switch {
	case c.Shot != "" && c.View != "":
		return c.Shot + " " + c.View
	case c.Shot != "":
		return c.Shot
	}
	return cmp.Or(c.Name, c.Reel, "a clip without a name")
}

// End returns the record frame after the last one.
func (c Clip) End() int { return c.Record + c.Length }

// SourceAt returns the source frame that the clip shows at a record frame.
func (c Clip) SourceAt(record int) int {
	over, under := c.Speed.Fraction()
	k := (record - c.Record) * over
	n := k / under
	if k%under < 0 {
		n--
	}
	return c.Source + n
}

// SourceLast returns the source frame that the clip shows last.
func (c Clip) SourceLast() int { return c.SourceAt(c.End() - 1) }

// Sources returns the source frames that the clip shows in record frames from one to before another, both within it.
func (c Clip) Sources(from, to int) frame.Set {
	over, under := c.Speed.Fraction()
	a, b := c.SourceAt(from), c.SourceAt(to-1)
	if over == under || over >= -under && over <= under { // none is passed over
		return frame.Of(min(a, b), max(a, b))
	}
	var all []int
	for n := from; n < to; n++ {
		all = append(all, c.SourceAt(n))
	}
	slices.Sort(all)
	return frame.SetOf(slices.Compact(all))
}

// Check says what is wrong with the cut by itself, or nil.
func (c Cut) Check() error {
	clips := 0
	if len(c.Tracks) > MaxTracks {
		return fmt.Errorf("%d tracks; a cut has at most %d", len(c.Tracks), MaxTracks)
	}
	if err := c.checkKept(); err != nil {
		return err
	}
	for i, t := range c.Tracks {
		if clips += len(t.Clips); clips > MaxClips {
			return fmt.Errorf("more than %d clips", MaxClips)
		}
		end := 0
		for _, clip := range t.Clips {
			over, under := clip.Speed.Fraction()
			switch {
			case clip.Length < 1 || clip.Record < 0 || clip.End() > MaxFrames:
				return fmt.Errorf(
					"track %d, %s: record frames %d to %d are outside 0 to %d", i+1, clip.Title(), clip.Record,
					clip.End()-1, MaxFrames,
				)
			case clip.Record < end:
				return fmt.Errorf(
					"track %d: %s begins at record frame %d, before the clip before it ends", i+1, clip.Title(),
					clip.Record,
				)
			case over > maxSpeed*under || over < -maxSpeed*under || under > 1_000_000:
				return fmt.Errorf(
					"track %d, %s: the speed %s is beyond %d times", i+1, clip.Title(), clip.Speed, maxSpeed,
				)
			case clip.Source < -frame.MaxNumber || clip.Source > frame.MaxNumber ||
				clip.SourceLast() < -frame.MaxNumber || clip.SourceLast() > frame.MaxNumber:
				return fmt.Errorf("track %d, %s: source frames beyond %d", i+1, clip.Title(), frame.MaxNumber)
			}
			end = clip.End()
		}
		if t.Until < 0 || t.Until > MaxFrames {
			return fmt.Errorf("track %d goes on to record frame %d; a cut has at most %d", i+1, t.Until, MaxFrames)
		}
	}
	return nil
}

// Length returns how many record frames the cut has, up to the end of its longest track.
func (c Cut) Length() int {
	n := 0
	for _, t := range c.Tracks {
		n = max(n, t.End())
	}
	return n
}

// Trailing returns how many record frames follow the end of the last clip.
func (c Cut) Trailing() int {
	c.Tracks = slices.Clone(c.Tracks)
	length := c.Length()
	for k := range c.Tracks {
		c.Tracks[k].Until = 0
	}
	return length - c.Length()
}

// Empty reports whether the cut has no clip.
func (c Cut) Empty() bool {
	return !slices.ContainsFunc(c.Tracks, func(t Track) bool { return len(t.Clips) > 0 })
}

// A Span is record frames in which one clip is seen, or none.
type Span struct {
	From, To int  // before To
	Track    int  // index; -1 for a gap
	Index    int  // of the clip in its track
	Clip     Clip // the zero value for a gap
}

// Gap reports whether nothing is seen.
func (s Span) Gap() bool { return s.Track < 0 }

// Sources returns the source frames that are seen.
func (s Span) Sources() frame.Set { return s.Clip.Sources(s.From, s.To) }

// Seen returns what is seen from the beginning to the end: of clips that lie over each other, the uppermost that is not
// muted.
func (c Cut) Seen() []Span {
	type event struct{ at, track, index int }
	var events []event
	for k, t := range c.Tracks {
		if t.Muted {
			continue
		}
		for i, clip := range t.Clips {
			if !clip.Muted {
				events = append(events, event{clip.Record, k, i}, event{clip.End(), k, -1})
			}
		}
	}
	// At one frame clips end before others begin.
	slices.SortFunc(events, func(a, b event) int {
		return cmp.Or(
			cmp.Compare(a.at, b.at), cmp.Compare(min(a.index, 0), min(b.index, 0)), cmp.Compare(a.track, b.track),
		)
	})
	open := make([]int, len(c.Tracks)) // index of the clip that is open, from 1
	var spans []Span
	add := func(from, to int) {
		if from == to {
			return
		}
		s := Span{From: from, To: to, Track: -1}
		for k := len(open) - 1; k >= 0; k-- {
			if open[k] > 0 {
				s.Track, s.Index = k, open[k]-1
				s.Clip = c.Tracks[k].Clips[s.Index]
				break
			}
		}
		if n := len(spans) - 1; n >= 0 && spans[n].Track == s.Track && (s.Gap() || spans[n].Index == s.Index) {
			spans[n].To = to
			return
		}
		spans = append(spans, s)
	}
	at := 0
	for _, e := range events {
		add(at, e.at)
		at, open[e.track] = e.at, e.index+1
	}
	if len(spans) > 0 {
		add(at, max(at, c.Length()))
	}
	return spans
}

// At returns what is seen at a record frame; false for a gap, and outside of the cut.
func (c Cut) At(record int) (clip Clip, source int, ok bool) {
	for k := len(c.Tracks) - 1; k >= 0; k-- {
		if c.Tracks[k].Muted {
			continue
		}
		for _, clip := range c.Tracks[k].Clips {
			if !clip.Muted && clip.Record <= record && record < clip.End() {
				return clip, clip.SourceAt(record), true
			}
		}
	}
	return Clip{}, 0, false
}

// A Use is a shot, and which of its views, as the cut shows it.
type Use struct{ Shot, View string }

// Used returns the source frames that are really seen, by shot and view.
func (c Cut) Used() (map[Use]frame.Set, error) {
	parts := map[Use][]frame.Set{}
	for _, s := range c.Seen() {
		if u := (Use{s.Clip.Shot, s.Clip.View}); u.Shot != "" {
			parts[u] = append(parts[u], s.Sources())
		}
	}
	used := map[Use]frame.Set{}
	for u, sets := range parts {
		all, err := frame.Union(sets...)
		if err != nil {
			return nil, fmt.Errorf("shot %s: %w", u.Shot, err)
		}
		used[u] = all
	}
	return used, nil
}

// Flat returns the cut as one track of what is seen.
func (c Cut) Flat() Track {
	t := Track{Until: c.Length()}
	for _, s := range c.Seen() {
		if !s.Gap() {
			t.Clips = append(t.Clips, s.Clip.Part(s.From, s.To))
		}
	}
	return t
}

// Part returns the clip as it is from one record frame to before another. At a speed that is no whole number its frames
// may differ by one from those of the whole clip, since a clip begins with a whole frame.
func (c Clip) Part(from, to int) Clip {
	c.Source, c.Record, c.Length = c.SourceAt(from), from, to-from
	return c
}

// Times returns the speed of what is played at one speed and that at another.
func (s Speed) Times(t Speed) Speed {
	a, b := s.Fraction()
	c, d := t.Fraction()
	over, under := a*c, b*d
	switch {
	case over == 0:
		return Hold
	case over == under:
		return Speed{}
	}
	for x, y := over, under; ; {
		if y == 0 {
			x = max(x, -x)
			over, under = over/x, under/x
			break
		}
		x, y = y, x%y
	}
	if under > 1_000_000 {
		return speedOf(float64(over) / float64(under))
	}
	return Speed{over, under}
}
