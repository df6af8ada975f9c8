package cut

import (
	"bytes"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"reelhouse/core/frame"
)

const (
	maxEvents = 999 // of a list, whose numbers have three digits
	maxReel   = 8   // letters of a reel's name
)

// WriteEDL writes a cut as edit decision lists: one event for each clip that is seen, black for each gap, and a further
// list after every 999 events. It returns the lists, and what they cannot hold or have otherwise.
func WriteEDL(title string, c Cut, clock frame.Clock) (lists [][]byte, said []string, err error) {
	day := clock.Day()
	if n := c.Length(); n > day {
		return nil, nil, fmt.Errorf(
			"the cut has %d frames; an edit decision list has at most the %d of a day",
			n,
			day,
		)
	}
	w := edlWriter{clock: clock, start: c.Start, title: oneLine(title), reels: reels{names: map[string]string{}}}
	w.mode = "NON-DROP FRAME"
	if clock.Drop {
		w.mode = "DROP FRAME"
	}
	if len(c.Tracks) > 1 {
		said = append(said, "tracks: the list has what is seen, as one track")
	}
	if c.Sound.Name != "" {
		said = append(said, "the sound is left out")
	}
	if n := c.keptBytes(); n > 0 &&
		(n > len(c.Kept) || string(c.Kept) != string(mustJSON(unsaid("global_start_time")))) {
		said = append(said, "what another program said of the cut and is not understood here is left out")
	}
	seen := c.Flat()
	for _, clip := range seen.Clips { // before black, so that each has its own name first
		w.reels.short(reelOf(clip))
	}
	end := 0
	for _, clip := range seen.Clips {
		w.black(end, clip.Record)
		for from := clip.Record; from < clip.End(); from += day / 4 {
			w.clip(clip.Part(from, min(from+day/4, clip.End())))
		}
		end = clip.End()
	}
	w.black(end, seen.Until)
	if w.out.Len() == 0 {
		w.begin()
	}
	lists = append(w.lists, w.out.Bytes())
	if n := len(lists); n > 1 {
		said = append(said, fmt.Sprintf("the events are on %d lists, since one holds %d", n, maxEvents))
	}
	return lists, append(said, w.reels.said...), nil
}

type edlWriter struct {
	clock       frame.Clock
	start       int
	title, mode string
	lists       [][]byte // that are full
	out         bytes.Buffer
	events      int // on the list
	reels       reels
}

// reelOf returns what a clip's reel is called: the shot stands in for it.
func reelOf(c Clip) string {
	if c.Reel == "" {
		return c.Shot
	}
	return c.Reel
}

// begin begins a list.
func (w *edlWriter) begin() { fmt.Fprintf(&w.out, "TITLE: %s\r\nFCM: %s\r\n\r\n", w.title, w.mode) }

// code writes frames after midnight as timecode.
func (w *edlWriter) code(n int) string {
	day := w.clock.Day()
	return w.clock.Count.Timecode(((n % day) + day) % day).String()
}

// event writes an event; from and to are source timecodes, in frames after midnight.
func (w *edlWriter) event(reel string, from, to, record, length int) {
	if w.events == maxEvents {
		w.lists = append(w.lists, bytes.Clone(w.out.Bytes()))
		w.out.Reset()
		w.events = 0
	}
	if w.events == 0 {
		w.begin()
	}
	w.events++
	fmt.Fprintf(
		&w.out, "%03d  %-8s V     C        %s %s %s %s\r\n", w.events, reel, w.code(from), w.code(to),
		w.code(w.start+record), w.code(w.start+record+length),
	)
}

// black writes the gap between two record frames, if there is any.
func (w *edlWriter) black(from, to int) {
	for ; from < to; from += w.clock.Day() / 4 {
		length := min(to-from, w.clock.Day()/4)
		w.event(black, 0, length, from, length)
	}
}

func (w *edlWriter) clip(c Clip) {
	over, under := c.Speed.Fraction()
	sources := max(1, (max(over, -over)*c.Length+under/2)/under)
	in := c.Source
	if over < 0 {
		in = c.Source - sources + 1
	}
	reel := w.reels.short(reelOf(c))
	from := sourceNumber(w.clock, in)
	// The frames of a quick clip may be more than a timecode tells apart; its speed says how many there are.
	w.event(reel, from, from+min(sources, w.clock.Day()/4), c.Record, c.Length)
	if !c.Speed.Usual() {
		fmt.Fprintf(
			&w.out, "M2   %-8s       %s                %s\r\n", reel,
			motionRate(float64(over)/float64(under)*w.clock.Rate.PerSecond()), w.code(from),
		)
	}
	if c.Name != "" {
		fmt.Fprintf(&w.out, "* %s %s\r\n", fromClip, oneLine(c.Name))
	}
	if c.Shot != "" {
		fmt.Fprintf(&w.out, "* %s %s\r\n", shotNote, strings.TrimSpace(c.Shot+" "+c.View))
	}
	read := reel // what comes back without a further word
	if c.Shot != "" && reel == shortReel(c.Shot) {
		read = ""
	}
	if c.Reel != read {
		fmt.Fprintf(&w.out, "* %s\r\n", strings.TrimSpace(reelNote+" "+oneLine(c.Reel)))
	}
	for _, note := range c.Notes {
		fmt.Fprintf(&w.out, "* %s\r\n", oneLine(note))
	}
}

// reels are the names of reels in a list, by their full names in capitals.
type reels struct {
	names map[string]string
	taken map[string]bool // in capitals
	said  []string
}

var notInReels = regexp.MustCompile(`[^A-Za-z0-9_.-]`)

// shortReel returns a name as a list can have it: eight letters, digits or marks, and no word of the form.
func shortReel(name string) string {
	if at := strings.LastIndexAny(name, `/\`); at >= 0 { // of a file, its name without ending and number
		name, _, _ = strings.Cut(name[at+1:], ".")
	}
	short := notInReels.ReplaceAllString(oneLine(name), "_")
	short = short[:min(len(short), maxReel)]
	switch strings.ToUpper(short) {
	case "":
		return unnamed
	case black:
		return short + "_"
	}
	return short
}

// short returns the name that a reel has in the list, which no other has, and says so if it is another.
func (r *reels) short(name string) string {
	key := strings.ToUpper(oneLine(name))
	if short, known := r.names[key]; known {
		return short
	}
	if r.taken == nil {
		r.taken = map[string]bool{}
	}
	base := shortReel(name)
	short := base
	for n := 2; r.taken[strings.ToUpper(short)]; n++ {
		end := "_" + strconv.Itoa(n)
		short = base[:min(len(base), maxReel-len(end))] + end
	}
	r.names[key], r.taken[strings.ToUpper(short)] = short, true
	if name != "" && short != name {
		r.said = append(r.said, fmt.Sprintf("the reel %q is called %s", name, short))
	}
	return short
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
