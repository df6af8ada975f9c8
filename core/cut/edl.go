package cut

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/frame"
)

// Words of an edit decision list.
const (
	fromClip = "FROM CLIP NAME:"
	shotNote = "REELHOUSE SHOT:"
)

var (
	eventNumber = regexp.MustCompile(`^\d{1,6}[A-Z]?$`)
	wipe        = regexp.MustCompile(`^W\d{1,3}$`)
	duration    = regexp.MustCompile(`^\d{1,3}$`)
)

// ReadEDL reads an edit decision list. Source timecodes are those of the clock; record timecodes are counted from the
// first event's. Its errors are *Mistake where they belong to a line.
//
// Events are cuts; of a dissolve, wipe or key the incoming side is taken, from where it begins, and the transition is
// kept as a note. Names of reels may have spaces. M2 lines set the speed of the event before.
func ReadEDL(r io.Reader, clock frame.Clock) (Reading, error) {
	e := edlReader{
		clock:   clock,
		count:   clock.Count,
		first:   -1,
		reading: Reading{Changed: []string{}, Dropped: []string{}},
	}
	lines := bufio.NewScanner(io.LimitReader(r, MaxBytes))
	lines.Buffer(nil, 1<<16)
	for lines.Scan() {
		e.line++
		text := strings.TrimSpace(strings.TrimPrefix(lines.Text(), "\ufeff"))
		if err := e.read(text); err != nil {
			return Reading{}, &Mistake{e.line, err.Error()}
		}
	}
	if err := lines.Err(); err != nil {
		return Reading{}, &Mistake{e.line + 1, err.Error()}
	}
	if len(e.clips) == 0 {
		return Reading{}, errors.New("the list has no events of pictures")
	}
	e.reading.Cut.Tracks = e.tracks()
	e.reading.Cut.Start = e.first
	return e.reading, e.reading.Cut.Check()
}

type edlReader struct {
	clock   frame.Clock
	count   frame.Count // of record timecodes, and of source ones
	line    int
	first   int // record frame of the cut's frame 0, after midnight; -1 before any
	clips   []Clip
	lines   []int
	reading Reading
}

// read reads one line.
func (e *edlReader) read(text string) error {
	upper := strings.ToUpper(text)
	switch {
	case text == "":
		return nil
	case strings.HasPrefix(upper, "TITLE:"):
		e.reading.Name = strings.TrimSpace(text[len("TITLE:"):])
		return nil
	case strings.HasPrefix(upper, "FCM:"):
		return e.mode(strings.TrimSpace(upper[len("FCM:"):]))
	case strings.HasPrefix(text, "*"):
		e.comment(strings.TrimSpace(text[1:]))
		return nil
	case strings.HasPrefix(upper, "M2"):
		return e.motion(text)
	case strings.HasPrefix(upper, ">>>") || strings.HasPrefix(upper, "SPLIT:") ||
		strings.HasPrefix(upper, "FINAL CUT") || strings.HasPrefix(upper, "AUD") || strings.HasPrefix(upper, "GPI"):
		e.reading.dropped("line %d: %s", e.line, text)
		return nil
	}
	words := strings.Fields(text)
	if !eventNumber.MatchString(strings.ToUpper(words[0])) {
		e.reading.dropped("line %d: %s", e.line, text)
		return nil
	}
	return e.event(words)
}

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
	return nil
}

// timecode reads a timecode as frames after midnight; a semicolon before the frames marks drop-frame.
func (e *edlReader) timecode(text string) (int, error) {
	count := e.count
	if strings.Contains(text, ";") {
		if !count.Rate.CanDrop() {
			return 0, fmt.Errorf(
				"%s is drop-frame timecode, which is for 29.97 and 59.94 frames a second; the production has %s", text,
				count.Rate,
			)
		}
		count.Drop = true
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
	var at [4]int
	for i, word := range words[len(words)-4:] {
		n, err := e.timecode(word)
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
	if !strings.HasPrefix(channel, "V") && channel != "B" && !strings.Contains(channel, "/V") {
		if strings.HasPrefix(channel, "A") || channel == "NONE" {
			e.reading.dropped("line %d: event %s of sound, channel %s", e.line, words[0], channel)
			return nil
		}
		return fmt.Errorf("the channel %q is unknown; it is V for pictures, A for sound, B for both", channel)
	}
	clip := Clip{Reel: reel, Source: sourceFrame(e.clock, at[0]), Length: at[3] - at[2], Record: at[2]}
	switch {
	case kind == "C":
	case kind == "D" || wipe.MatchString(kind) || strings.HasPrefix(kind, "K"):
		if at[2] == at[3] || clip.Length == 0 { // the outgoing side of a transition shows nothing
			return nil
		}
		note := map[byte]string{'D': "dissolve", 'W': "wipe " + strings.TrimPrefix(kind, "W"), 'K': "key"}[kind[0]]
		if length != "" {
			note += ", " + strings.TrimLeft(length, "0") + " frames"
		}
		clip.Notes = append(clip.Notes, "transition: "+strings.TrimSuffix(note, ",  frames"))
		e.reading.changed("line %d: a %s is kept as a note; the clip begins where it does", e.line, note)
	default:
		return fmt.Errorf("the transition %q is unknown; C is a cut, D a dissolve, W a wipe, K a key", kind)
	}
	if at[1] < at[0] {
		return fmt.Errorf("the source ends at %s, before it begins at %s", words[len(words)-3], words[len(words)-4])
	}
	if at[3] < at[2] {
		return fmt.Errorf("the record ends at %s, before it begins at %s", words[len(words)-1], words[len(words)-2])
	}
	if clip.Length == 0 {
		e.reading.dropped("line %d: event %s has no frames", e.line, words[0])
		return nil
	}
	if strings.EqualFold(reel, "BL") { // black
		return nil
	}
	if sources := at[1] - at[0]; sources != clip.Length {
		clip.Speed = Speed{sources, clip.Length}
		if sources == 0 || sources == 1 {
			clip.Speed = Hold
		}
		e.reading.changed(
			"line %d: %d source frames fill %d record frames, which is taken for a speed", e.line, sources, clip.Length,
		)
	}
	e.clips, e.lines = append(e.clips, clip), append(e.lines, e.line)
	return nil
}

// motion reads the speed of the event before: M2, a reel, the source frames a second, a timecode.
func (e *edlReader) motion(text string) error {
	words := strings.Fields(text)
	if len(words) < 4 {
		return fmt.Errorf("a speed has M2, a reel, frames a second and a timecode")
	}
	if len(e.clips) == 0 {
		return fmt.Errorf("a speed comes before any event")
	}
	rate, err := strconv.ParseFloat(words[len(words)-2], 64)
	if err != nil || rate != rate || rate > 100_000 || rate < -100_000 {
		return fmt.Errorf("%q is no number of frames a second", words[len(words)-2])
	}
	if _, err := e.timecode(words[len(words)-1]); err != nil {
		return err
	}
	clip := &e.clips[len(e.clips)-1]
	clip.Speed = speedOf(rate / e.clock.Rate.PerSecond())
	if rate == 0 {
		clip.Speed = Hold
	}
	if clip.Speed.Usual() {
		clip.Speed = Speed{}
	}
	e.reading.Changed = slices.DeleteFunc(e.reading.Changed, func(t string) bool {
		return strings.HasPrefix(t, fmt.Sprintf("line %d: ", e.lines[len(e.lines)-1])) &&
			strings.HasSuffix(t, "taken for a speed")
	})
	if clip.Speed.Over < 0 { // a list gives the frames of a clip that runs backwards from the lowest
		clip.Source += int(-rate/e.clock.Rate.PerSecond()*float64(clip.Length)+0.5) - 1
	}
	return nil
}

func (e *edlReader) comment(text string) {
	upper := strings.ToUpper(text)
	if len(e.clips) == 0 {
		e.reading.dropped("line %d: %s", e.line, text)
		return
	}
	clip := &e.clips[len(e.clips)-1]
	switch {
	case strings.HasPrefix(upper, fromClip):
		clip.Name = strings.TrimSpace(text[len(fromClip):])
	case strings.HasPrefix(upper, shotNote):
		clip.Shot, clip.View, _ = strings.Cut(strings.TrimSpace(text[len(shotNote):]), " ")
	case strings.HasPrefix(upper, "TO CLIP NAME:"):
		clip.Name = strings.TrimSpace(text[len("TO CLIP NAME:"):])
	default:
		clip.Notes = append(clip.Notes, text)
	}
}

// tracks lays the events on one track, or on further ones above where they lie over each other.
func (e *edlReader) tracks() []Track {
	e.first = e.clips[0].Record
	for _, clip := range e.clips {
		e.first = min(e.first, clip.Record)
	}
	var c Cut
	for _, clip := range e.clips {
		clip.Record -= e.first
		if err := c.lay(clip, 0); err != nil {
			c.Tracks = append(c.Tracks, Track{Clips: []Clip{clip}}) // the check of the whole cut says what is wrong
		}
	}
	return c.Tracks
}

// WriteEDL writes a cut as an edit decision list: one event for each clip that is seen. It returns what the list cannot
// hold.
func WriteEDL(w io.Writer, title string, c Cut, clock frame.Clock) (dropped []string, err error) {
	out := bufio.NewWriter(w)
	fmt.Fprintf(out, "TITLE: %s\r\n", oneLine(title))
	mode := "NON-DROP FRAME"
	if clock.Drop {
		mode = "DROP FRAME"
	}
	fmt.Fprintf(out, "FCM: %s\r\n\r\n", mode)
	if len(c.Tracks) > 1 {
		dropped = append(dropped, "tracks: the list has what is seen, as one track")
	}
	if c.Sound.Name != "" {
		dropped = append(dropped, "the sound")
	}
	day := clock.Day()
	code := func(n int) string { return clock.Count.Timecode(((n % day) + day) % day).String() }
	for i, clip := range c.Flat().Clips {
		over, under := clip.Speed.Fraction()
		sources := max(1, (max(over, -over)*clip.Length+under/2)/under)
		in := clip.Source
		if over < 0 {
			in = clip.Source - sources + 1
		}
		reel := clip.Reel
		if reel == "" {
			reel = clip.Shot
		}
		if reel = oneLine(reel); reel == "" {
			reel = "AX"
		}
		from, to := sourceNumber(clock, in), c.Start+clip.Record
		fmt.Fprintf(
			out, "%03d  %-8s V     C        %s %s %s %s\r\n", i+1, reel, code(from), code(from+sources), code(to),
			code(to+clip.Length),
		)
		if !clip.Speed.Usual() {
			fmt.Fprintf(
				out, "M2   %-8s       %s                %s\r\n", reel,
				motionRate(float64(over)/float64(under)*clock.Rate.PerSecond()), code(from),
			)
		}
		if clip.Name != "" {
			fmt.Fprintf(out, "* %s %s\r\n", fromClip, oneLine(clip.Name))
		}
		if clip.Shot != "" {
			fmt.Fprintf(out, "* %s %s\r\n", shotNote, strings.TrimSpace(clip.Shot+" "+clip.View))
		}
		for _, note := range clip.Notes {
			fmt.Fprintf(out, "* %s\r\n", oneLine(note))
		}
	}
	return dropped, out.Flush()
}

// motionRate writes frames a second with three digits and at least one decimal.
func motionRate(rate float64) string {
	text := strconv.FormatFloat(max(rate, -rate), 'f', -1, 64)
	if !strings.Contains(text, ".") {
		text += ".0"
	}
	text = strings.Repeat("0", max(0, 3-strings.Index(text, "."))) + text
	if rate < 0 {
		text = "-" + text
	}
	return text
}

// oneLine returns a text without the ends of lines.
func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }
