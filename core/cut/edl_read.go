package cut

import (
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/plaintext"
)

// Words of an edit decision list. The first is common practice, the others are ours.
const (
	fromClip = "FROM CLIP NAME:"
	toClip   = "TO CLIP NAME:"
	shotNote = "REELHOUSE SHOT:"
	reelNote = "REELHOUSE REEL:"
)

const (
	black   = "BL" // the reel of black
	unnamed = "AX" // the reel of what has none
)

var (
	eventNumber = regexp.MustCompile(`^\d{1,6}[A-Z]?$`)
	wipe        = regexp.MustCompile(`^W\d{1,3}$`)
	duration    = regexp.MustCompile(`^\d{1,3}$`)
	// pictures are the channels that have any: V, V2, B for both, and V with sound beside it.
	pictures = regexp.MustCompile(`^(?:B|(?:A+\d*/?)*V(\d*)(?:/?A+\d*)*)$`)
	sounds   = regexp.MustCompile(`^(?:A+\d*/?)+$|^NONE$`)
)

const (
	maxLine    = 1 << 12 // letters of a line
	maxStrange = 2000    // lines that are no part of a list
	maxRead    = 100_000 // events, those of sound among them
)

// ReadEDL reads an edit decision list, or several that go on from each other, one reader each. Source timecodes are
// those of the clock; record timecodes are counted from the first event's, black among them. Its errors are *Mistake
// where they belong to a line.
//
// Events are cuts; of a dissolve, wipe or key the incoming side is taken, from where it begins, and the transition is
// kept as a note. Names of reels may have spaces. A channel decides on which track a clip lies. Comments and M2 lines
// belong to the event that they follow: an M2 line to the clip of its reel, and both to nothing if the event has no
// pictures that are kept. Where events of one channel meet, the later one is recorded over the earlier one.
func ReadEDL(clock frame.Clock, lists ...io.Reader) (Reading, error) {
	e := edlReader{clock: clock, count: clock.Count, reading: Reading{Changed: []string{}, Dropped: []string{}}}
	for i, list := range lists {
		text, err := plaintext.Read(list, MaxBytes)
		if errors.Is(err, plaintext.ErrNoText) {
			err = fmt.Errorf("%w; an edit decision list is one", err)
		}
		if err != nil {
			return Reading{}, err
		}
		if text.Code != "UTF-8" {
			e.reading.changed("the list is read as %s", text.Code)
		}
		if len(lists) > 1 {
			e.list = fmt.Sprintf("list %d, ", i+1)
		}
		if err := e.readAll(text.Lines); err != nil {
			return Reading{}, err
		}
	}
	if err := e.finish(); err != nil {
		return Reading{}, err
	}
	return e.reading.finished(), e.reading.Cut.Check()
}

// An edlEvent is one event of a list.
type edlEvent struct {
	list         string // as in edlReader
	line, place  int    // in its list, from 1; among all events, from 0
	number, reel string
	in, out      int    // of the source, frames after midnight
	track        int    // from 0
	clip         Clip   // whose Record is after midnight until the list is finished
	not          string // why nothing of it is kept; "" if it is
	transition   bool
	to           bool // whether its name is that of the clip that it goes to
	timed        bool // whether an M2 line gives its speed
	fullReel     bool
}

type edlReader struct {
	clock   frame.Clock
	count   frame.Count // of source timecodes
	record  *frame.Count
	list    string // before the numbers of lines; "" for a single list
	line    int
	events  []edlEvent
	black   [][3]int // track, record in, record out
	over    bool     // whether record timecodes pass midnight
	strange int
	reading Reading
}

// at returns where the reader is.
func (e *edlReader) at() string { return fmt.Sprintf("%sline %d", e.list, e.line) }

func (e *edlReader) readAll(text string) error {
	e.line, e.count, e.record = 0, e.clock.Count, nil
	begin := len(e.events)
	for text != "" {
		var line string
		line, text, _ = strings.Cut(text, "\n")
		e.line++
		if len(line) > maxLine {
			return &Mistake{e.line, e.list + "the line is too long for an edit decision list"}
		}
		if err := e.read(strings.TrimSpace(strings.TrimSuffix(line, "\x1a"))); err != nil {
			return &Mistake{e.line, e.list + err.Error()}
		}
	}
	if len(e.events) == begin {
		return errors.New(e.list + "the list has no events of pictures")
	}
	return nil
}

// read reads one line.
func (e *edlReader) read(text string) error {
	if text == "" {
		return nil
	}
	upper := strings.ToUpper(text)
	switch {
	case strings.HasPrefix(upper, "TITLE:"):
		if e.reading.Name == "" {
			e.reading.Name = strings.TrimSpace(text[len("TITLE:"):])
		}
		return nil
	case strings.HasPrefix(upper, "FCM:"):
		return e.mode(strings.TrimSpace(upper[len("FCM:"):]))
	case text[0] == '*':
		e.comment(strings.TrimSpace(text[1:]))
		return nil
	case strings.HasPrefix(upper, "M2"):
		return e.motion(text)
	}
	if words := strings.Fields(text); eventNumber.MatchString(strings.ToUpper(words[0])) {
		return e.event(words)
	}
	if e.strange++; e.strange > maxStrange && e.strange > 4*len(e.events) {
		return fmt.Errorf(
			"more than %d lines are neither events nor comments; this is no edit decision list",
			maxStrange,
		)
	}
	e.reading.dropped("%s: %s", e.at(), text)
	return nil
}

// mode reads how timecodes count. The first line of it is for all of them; a further one, for the sources that follow.
func (e *edlReader) mode(text string) error {
	switch text {
	case "DROP FRAME":
		if !e.clock.Rate.CanDrop() {
			return fmt.Errorf(
				"drop-frame timecode is for 29.97 and 59.94 frames a second, and the production has %s", e.clock.Rate,
			)
		}
		e.count.Drop = true
	case "NON-DROP FRAME", "NON DROP FRAME":
		e.count.Drop = false
	default:
		return fmt.Errorf("FCM is DROP FRAME or NON-DROP FRAME, not %q", text)
	}
	if e.record == nil {
		count := e.count
		e.record = &count
	} else if e.count != *e.record {
		e.reading.changed(
			"%s: FCM changes within the list; it counts for the source timecodes that follow, and record timecodes go "+
				"on as they began", e.at(),
		)
	}
	return nil
}

// timecode reads a timecode as frames after midnight; a semicolon before the frames marks drop-frame. 24:00:00:00 is
// the end of a day.
func (e *edlReader) timecode(text string, count frame.Count) (int, error) {
	if strings.Contains(text, ";") {
		if !count.Rate.CanDrop() {
			return 0, fmt.Errorf(
				"%s is drop-frame timecode, which is for 29.97 and 59.94 frames a second; the production has %s",
				text,
				count.Rate,
			)
		}
		count.Drop = true
	}
	if strings.ReplaceAll(text, ";", ":") == "24:00:00:00" {
		return count.Day(), nil
	}
	t, err := count.ParseTimecode(text)
	if err != nil {
		return 0, err
	}
	return count.Number(t), nil
}

// event reads number, reel, channel, kind of transition with its length, and four timecodes.
func (e *edlReader) event(words []string) error {
	if len(words) < 8 {
		return fmt.Errorf(
			"an event has a number, a reel, a channel, a transition and four timecodes; this one has %d parts",
			len(words),
		)
	}
	if len(e.events) == maxRead {
		return fmt.Errorf("more than %d events", maxRead)
	}
	if e.record == nil {
		count := e.count
		e.record = &count
	}
	codes, counts := words[len(words)-4:], [4]frame.Count{e.count, e.count, *e.record, *e.record}
	var at [4]int
	for i, word := range codes {
		n, err := e.timecode(word, counts[i])
		if err != nil {
			return err
		}
		at[i] = n
	}
	rest := words[1 : len(words)-4]
	kind, length := strings.ToUpper(rest[len(rest)-1]), ""
	if n := len(rest); n >= 4 && duration.MatchString(kind) { // a transition with a length
		kind, length, rest = strings.ToUpper(rest[n-2]), rest[n-1], rest[:n-1]
	}
	if kind == "B" || kind == "O" || kind == "(F)" { // K B, K O, K (F): keys
		if n := len(rest); n >= 4 && strings.ToUpper(rest[n-2]) == "K" {
			kind, rest = "K"+kind, rest[:n-1]
		}
	}
	if len(rest) < 3 {
		return fmt.Errorf("the reel, the channel or the transition of the event is missing")
	}
	channel, reel := strings.ToUpper(rest[len(rest)-2]), strings.Join(rest[:len(rest)-2], " ")
	v := edlEvent{list: e.list, line: e.line, place: len(e.events), number: strings.ToUpper(words[0]), reel: reel}
	switch shown := pictures.FindStringSubmatch(channel); {
	case shown == nil && sounds.MatchString(channel):
		v.not = "is of sound"
		e.reading.dropped("%s: event %s of sound, channel %s", e.at(), words[0], channel)
	case shown == nil:
		return fmt.Errorf("the channel %q is unknown; it is V for pictures, A for sound, B for both", channel)
	default:
		if n, _ := strconv.Atoi(shown[1]); n > MaxTracks {
			return fmt.Errorf("the channel %s; a cut has at most %d tracks", channel, MaxTracks)
		} else if n > 1 {
			v.track = n - 1
			e.reading.changed("channel V%d, which is an extension of the form, is track %d", n, n)
		}
		if strings.ContainsAny(channel, "AB") {
			e.reading.dropped("the sound of events of channel %s", channel)
		}
	}
	var err error
	day := e.count.Day()
	if v.in, v.out, err = whole(at[0], at[1], day); err != nil {
		return fmt.Errorf("the source ends at %s, before it begins at %s", codes[1], codes[0])
	}
	begin, end, err := whole(at[2], at[3], e.record.Day())
	if err != nil {
		return fmt.Errorf("the record ends at %s, before it begins at %s", codes[3], codes[2])
	}
	e.over = e.over || end > e.record.Day() || v.not == "" && e.turned(begin)
	v.clip = Clip{Reel: reel, Source: e.sourceOf(v.in), Length: end - begin, Record: begin}
	if err := e.cutKind(&v, kind, length, words[0]); err != nil {
		return err
	}
	if strings.EqualFold(reel, unnamed) {
		v.clip.Reel = unnamed
	}
	e.events = append(e.events, v)
	return nil
}

// turned reports whether an event begins so long before the one before it that midnight must be between them.
func (e *edlReader) turned(begin int) bool {
	for i := len(e.events) - 1; i >= 0; i-- {
		if e.events[i].not == "" {
			return begin < e.events[i].clip.Record-e.record.Day()/2
		}
	}
	return false
}

// sourceOf returns the scene's frame of a source timecode, as its own count has it.
func (e *edlReader) sourceOf(number int) int {
	clock := e.clock
	clock.Count = e.count
	return sourceFrame(clock, number)
}

// whole returns both ends of frames that may pass midnight.
func whole(from, to, day int) (int, int, error) {
	if to < from {
		if to += day; to-from > day/2 {
			return 0, 0, errors.New("backwards")
		}
	}
	return from, to, nil
}

// cutKind reads how an event begins, and whether there is anything to keep of it.
func (e *edlReader) cutKind(v *edlEvent, kind, length, number string) error {
	note := ""
	switch {
	case kind == "C":
	case kind == "D":
		note = "dissolve"
	case wipe.MatchString(kind):
		note = "wipe " + kind[1:]
	case strings.HasPrefix(kind, "K"):
		note = "key"
	default:
		return fmt.Errorf("the transition %q is unknown; C is a cut, D a dissolve, W a wipe, K a key", kind)
	}
	if frames := strings.TrimLeft(length, "0"); note != "" && frames != "" {
		note += ", " + frames + " frames"
	}
	v.transition = note != ""
	switch {
	case v.not != "":
	case v.clip.Length == 0:
		v.not = "has no frames"
	case strings.EqualFold(v.reel, black):
		v.not = "is black"
		e.black = append(e.black, [3]int{v.track, v.clip.Record, v.clip.End()})
		if note != "" {
			e.reading.dropped("%s: the %s to black, which is kept as a gap", e.at(), note)
		}
	case note != "":
		if from, ok := e.outgoing(v.number); ok && strings.EqualFold(from.reel, black) {
			note += ", from black"
		} else if ok {
			note += ", from " + from.reel + " at " + e.count.Timecode(from.in).String()
		}
		v.clip.Notes = append(v.clip.Notes, "transition: "+note)
		e.reading.changed("%s: a %s is kept as a note; the clip begins where it does", e.at(), note)
	}
	return nil
}

// outgoing returns the side without frames of the transition whose other side comes next.
func (e *edlReader) outgoing(number string) (edlEvent, bool) {
	if n := len(e.events); n > 0 && e.events[n-1].number == number && e.events[n-1].not == "has no frames" {
		return e.events[n-1], true
	}
	return edlEvent{}, false
}

// group returns the events of the last number, such as both sides of a transition, and at most a few of them.
func (e *edlReader) group() []edlEvent {
	const most = 16
	from := len(e.events)
	for from > max(0, len(e.events)-most) && e.events[from-1].number == e.events[len(e.events)-1].number &&
		e.events[from-1].list == e.events[len(e.events)-1].list {
		from--
	}
	return e.events[from:]
}

// motion reads the speed of the event before: M2, a reel, the source frames a second, a timecode.
func (e *edlReader) motion(text string) error {
	words := strings.Fields(text)
	if len(words) < 4 {
		return fmt.Errorf("a speed has M2, a reel, frames a second and a timecode")
	}
	if len(e.events) == 0 {
		return fmt.Errorf("a speed comes before any event")
	}
	rate, err := strconv.ParseFloat(words[len(words)-2], 64)
	if err != nil || rate != rate || rate > 100_000 || rate < -100_000 {
		return fmt.Errorf("%q is no number of frames a second", words[len(words)-2])
	}
	at, err := e.timecode(words[len(words)-1], e.count)
	if err != nil {
		return err
	}
	reel := strings.Join(words[1:len(words)-2], " ")
	// Both sides of a transition may be of one reel; then the timecode tells which of them is meant.
	var best *edlEvent
	fits := func(v *edlEvent) (n int) {
		if at == v.in || at == v.out {
			n = 2
		}
		if v.not == "" {
			n++
		}
		return n
	}
	events := e.group()
	for i := range events {
		if v := &events[i]; sameReel(v.reel, reel) && (best == nil || fits(v) >= fits(best)) {
			best = v
		}
	}
	switch last := events[len(events)-1]; {
	case best == nil:
		e.reading.dropped("%s: %s, since event %s is of reel %s", e.at(), text, last.number, last.reel)
	case best.not != "":
		e.reading.dropped("%s: %s, since event %s of that reel %s", e.at(), text, best.number, best.not)
	default:
		e.speed(best, rate)
	}
	return nil
}

// sameReel reports whether two names are of one reel, of which either may be cut to the eight letters of the form.
func sameReel(a, b string) bool {
	a, b = strings.ToUpper(a), strings.ToUpper(b)
	short := min(len(a), len(b))
	return a == b || short >= 8 && a[:short] == b[:short]
}

// speed gives an event's clip so many source frames a second.
func (e *edlReader) speed(v *edlEvent, rate float64) {
	v.timed = true
	v.clip.Speed = speedOf(rate / e.clock.Rate.PerSecond())
	if rate == 0 {
		v.clip.Speed = Hold
	}
	if v.clip.Speed.Usual() {
		v.clip.Speed = Speed{}
	}
	if v.clip.Speed.Over < 0 { // a list gives the frames of a clip that runs backwards from the lowest
		v.clip.Source += int(-rate/e.clock.Rate.PerSecond()*float64(v.clip.Length)+0.5) - 1
	}
}

// comment reads a comment: it belongs to what is kept of the events of the last number.
func (e *edlReader) comment(text string) {
	if len(e.events) == 0 {
		e.reading.dropped("%s: %s", e.at(), text)
		return
	}
	events := e.group()
	v := &events[len(events)-1]
	for i := len(events) - 1; i >= 0 && v.not != ""; i-- {
		if events[i].not == "" {
			v = &events[i]
		}
	}
	if v.not != "" {
		e.reading.dropped("%s: %s, since event %s %s", e.at(), text, v.number, v.not)
		return
	}
	upper := strings.ToUpper(text)
	switch {
	case strings.HasPrefix(upper, toClip):
		v.clip.Name, v.to = strings.TrimSpace(text[len(toClip):]), true
	case strings.HasPrefix(upper, fromClip):
		name := strings.TrimSpace(text[len(fromClip):])
		if v.transition && (len(events) > 1 || v.to) { // of the side that goes
			v.clip.Notes = append(v.clip.Notes, "from clip: "+name)
		} else {
			v.clip.Name = name
		}
	case strings.HasPrefix(upper, shotNote):
		v.clip.Shot, v.clip.View, _ = strings.Cut(strings.TrimSpace(text[len(shotNote):]), " ")
	case strings.HasPrefix(upper, reelNote):
		v.clip.Reel, v.fullReel = strings.TrimSpace(text[len(reelNote):]), true
	default:
		v.clip.Notes = append(v.clip.Notes, text)
	}
}
