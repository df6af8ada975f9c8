package cut

import (
	"bytes"
	"fmt"
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/frame"
)

// The files of this test were written by hand after the form's description as it is common practice: event number,
// reel, channel, transition, four timecodes; M2 and comments behind the event that they belong to.

// readList reads a list of testdata.
func readList(t *testing.T, name string, clock frame.Clock) Reading {
	t.Helper()
	file, err := os.Open("testdata/" + name + ".edl")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	r, err := ReadEDL(clock, file)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return r
}

// says reports whether texts tell of all of some words, each of them once in a line of its own.
func says(texts []string, words ...string) bool {
	for _, w := range words {
		if !slices.ContainsFunc(texts, func(text string) bool { return strings.Contains(text, w) }) {
			return false
		}
	}
	return true
}

func TestWhatBelongsToAnEventThatIsNotKeptGoesWithIt(t *testing.T) {
	r := readList(t, "not_kept", clock())
	r.Cut.Match([]string{"010", "020", "030", "040", "050"})
	if got, want := line(r.Cut), "0-47 010 1001-1048; 48-71 gap; 72-119 040 1084-1107; "+
		"120-143 050 1097-1120"; got != want {
		t.Errorf("seen is %s", got)
	}
	clips := r.Cut.Tracks[0].Clips
	if clips[0].Name != "010" || clips[0].Shot != "010" || !clips[0].Speed.Usual() || len(clips[0].Notes) > 0 {
		t.Errorf("the clip before sound and black is %+v", clips[0])
	}
	if clips[1].Speed != (Speed{1, 2}) || clips[1].Name != "040" || !slices.Equal(clips[1].Notes, []string{
		"transition: dissolve, 12 frames, from 030 at 10:00:02:12", "from clip: 030",
	}) {
		t.Errorf("the side that comes is %+v", clips[1])
	}
	if !clips[2].Speed.Usual() {
		t.Errorf("the speed of reel 060 went to %+v", clips[2])
	}
	if !says(
		r.Dropped,
		"line 5: event 002 of sound",
		"line 6: FROM CLIP NAME: 020",
		"line 7: REELHOUSE SHOT: 020",
		"line 8: M2",
		"line 10: FROM CLIP NAME: slug",
		"line 11: M2   BL",
		"line 13: M2   030",
		"line 19: M2   060",
		"line 20: event 006 has no frames",
		"line 21: FROM CLIP NAME: lost",
	) {
		t.Errorf("dropped %s", strings.Join(r.Dropped, "\n"))
	}
}

func TestTheChannelDecidesOnTheTrack(t *testing.T) {
	r := readList(t, "channels", clock())
	r.Cut.Match([]string{"010", "020", "030", "040"})
	if len(r.Cut.Tracks) != 2 || len(r.Cut.Tracks[1].Clips) != 1 || r.Cut.Tracks[1].Clips[0].Shot != "020" {
		t.Fatalf("tracks %+v", r.Cut.Tracks)
	}
	if got, want := line(r.Cut), "0-23 010 1001-1024; 24-47 020 1025-1048; "+
		"48-59 030 1049-1060; 60-71 040 1073-1084"; got != want {
		t.Errorf("seen is %s", got)
	}
	if !says(r.Changed, "channel V2, which is an extension") ||
		!says(r.Dropped, "sound of events of channel AA/V", "line 5: of event 003 12 of 24 frames") {
		t.Errorf("changed %q, dropped %q", r.Changed, r.Dropped)
	}
}

func TestAListMayPassMidnight(t *testing.T) {
	r := readList(t, "midnight", clock())
	r.Cut.Match([]string{"010", "020", "030", "040"})
	if got, want := line(r.Cut), "0-23 gap; 24-47 010 1001-1024; 48-71 020 -863011--862988; 72-119 030 1001-1048; "+
		"120-143 gap; 144-167 040 1001-1024; 168-191 gap"; got != want {
		t.Errorf("seen is %s", got)
	}
	if code := clock().Count.Timecode(r.Cut.Start).String(); code != "23:59:57:00" || r.Cut.Length() != 192 {
		t.Errorf("it begins at %s and has %d frames", code, r.Cut.Length())
	}
	var b bytes.Buffer
	if err := writeEDL(&b, r.Name, r.Cut); err != nil {
		t.Fatal(err)
	}
	again, err := ReadEDL(clock(), &b)
	if err != nil || !reflect.DeepEqual(again.Cut, r.Cut) {
		t.Errorf("it comes back as %+v, %v", again.Cut, err)
	}
	for text, want := range map[string]string{
		// Without a time before the first event that could be midnight, the first line begins.
		"001 010 V C 10:00:00:00 10:00:01:00 20:00:00:00 20:00:01:00\n" +
			"002 020 V C 10:00:00:00 10:00:01:00 08:00:00:00 08:00:01:00\n": "08:00:00:00",
		"001 010 V C 10:00:00:00 10:00:01:00 23:00:00:00 23:00:01:00\n" +
			"002 020 V C 10:00:00:00 10:00:01:00 00:10:00:00 00:10:01:00\n": "23:00:00:00",
		"001 010 V C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n" +
			"002 020 V C 10:00:00:00 10:00:01:00 23:59:59:00 24:00:00:00\n": "01:00:00:00",
	} {
		r, err := ReadEDL(clock(), strings.NewReader(text))
		if code := clock().Count.Timecode(r.Cut.Start).String(); err != nil || code != want {
			t.Errorf("%s begins at %s, %v", text, code, err)
		}
	}
}

// The mode of a list's head counts for its record timecodes. 59;28 to 1:00;04 of drop-frame are 4 frames (SMPTE ST
// 12-1).
func TestAChangeOfModeWithinAListIsOfItsSources(t *testing.T) {
	ntsc := frame.Clock{Count: frame.Count{Rate: frame.Rate{Numerator: 30000, Denominator: 1001}}}
	r := readList(t, "modes", ntsc)
	// 01:00:00;00 is the frame 107892 after midnight.
	if got, want := line(r.Cut), "0-59 010 0-59; 60-63 020 1798-1801; 64-93 030 107892-107921"; got != want {
		t.Errorf("seen is %s", got)
	}
	if !says(r.Changed, "line 4: FCM changes within the list") || len(r.Changed) != 1 {
		t.Errorf("changed %q", r.Changed)
	}
}

func TestListsAreReadInEveryCodeOfTheirTime(t *testing.T) {
	for name, code := range map[string]string{
		"latin1": "Latin-1", "utf16": "UTF-16", "carriage_returns": "",
	} {
		r := readList(t, name, clock())
		clips := r.Cut.Tracks[0].Clips
		if r.Name != "FÄHRE" || len(clips) != 2 || clips[0].Name != "Möwe, 010" ||
			clips[0].Notes[0] != "Wellen früh" {
			t.Errorf("%s: %q with %+v", name, r.Name, clips)
		}
		if code != "" && !says(r.Changed, "read as "+code) || code == "" && len(r.Changed) > 0 {
			t.Errorf("%s: changed %q", name, r.Changed)
		}
	}
}

func TestReelsHaveEightLettersEachItsOwn(t *testing.T) {
	c := Cut{Start: 86400, Tracks: []Track{{}}}
	reels := []string{"file:///plates/quay/020.%04d.exr", "QUAY CAMERA A", "QUAY CAMERA B", "quay camera a", "BL",
		"Möwe", "A", "", ""}
	for i, reel := range reels {
		clip := Clip{Reel: reel, Record: 24 * i, Length: 24, Source: 1001}
		if i == len(reels)-1 {
			clip.Shot = "harbour-at-night"
		}
		c.Tracks[0].Clips = append(c.Tracks[0].Clips, clip)
	}
	lists, said, err := WriteEDL("reels", c, clock())
	if err != nil {
		t.Fatal(err)
	}
	var written []string
	for line := range strings.Lines(string(lists[0])) {
		if words := strings.Fields(line); len(words) == 8 && words[2] == "V" {
			written = append(written, words[1])
		}
	}
	if want := []string{"020", "QUAY_CAM", "QUAY_C_2", "QUAY_CAM", "BL_", "M_we", "A", "AX", "harbour-"}; !slices.Equal(
		written,
		want,
	) {
		t.Errorf("written are %q", written)
	}
	if !says(
		said,
		`"QUAY CAMERA B" is called QUAY_C_2`,
		`"BL" is called BL_`,
		`"harbour-at-night" is called harbour-`,
	) {
		t.Errorf("said %q", said)
	}
	r, err := ReadEDL(clock(), bytes.NewReader(lists[0]))
	if err != nil {
		t.Fatal(err)
	}
	for i, clip := range r.Cut.Tracks[0].Clips {
		if clip.Reel != reels[i] || clip.Shot != c.Tracks[0].Clips[i].Shot {
			t.Errorf("%q came back as %q of shot %q", reels[i], clip.Reel, clip.Shot)
		}
	}
}

func TestAListHas999Events(t *testing.T) {
	c := Cut{Name: "long", Start: 86400, Tracks: []Track{{Clips: []Clip{}}}}
	for i := range 1500 {
		c.Tracks[0].Clips = append(c.Tracks[0].Clips, Clip{Shot: "010", Record: 10 * i, Length: 10, Source: 1001})
	}
	lists, said, err := WriteEDL("long", c, clock())
	if err != nil || len(lists) != 2 || !says(said, "on 2 lists") {
		t.Fatalf("%d lists, %q, %v", len(lists), said, err)
	}
	if !bytes.Contains(lists[1], []byte("\n001 ")) || bytes.Contains(lists[0], []byte("\n1000")) ||
		!bytes.HasPrefix(lists[1], []byte("TITLE: long\r\nFCM: ")) {
		t.Errorf("the second list begins %.200s", lists[1])
	}
	r, err := ReadEDL(clock(), bytes.NewReader(lists[0]), bytes.NewReader(lists[1]))
	if err != nil || !reflect.DeepEqual(r.Cut, c) {
		t.Errorf("both together come back otherwise, %v", err)
	}
	if _, err := ReadEDL(clock(), bytes.NewReader(lists[0]), strings.NewReader("001 x\n")); err == nil ||
		err.Error() != "line 1: list 2, an event has a number, a reel, a channel, a transition and four timecodes; "+
			"this one has 2 parts" {
		t.Errorf("of a wrong second list: %v", err)
	}
}

// Lines that some programs write behind every event are no reason to refuse a list.
func TestStrangeLinesBesideEventsAreSaid(t *testing.T) {
	var b strings.Builder
	for i := range 3000 {
		in, out := clock().Count.Timecode(24*i), clock().Count.Timecode(24*i+24)
		fmt.Fprintf(&b, "%03d a V C 10:00:00:00 10:00:01:00 %s %s\n>>> SOURCE a tape\n", i%999+1, in, out)
	}
	r, err := ReadEDL(clock(), strings.NewReader(b.String()))
	if err != nil || len(r.Cut.Tracks[0].Clips) != 3000 || !says(r.Dropped, "line 2: >>> SOURCE", "and 2500 more") {
		t.Errorf("%v, dropped %d", err, len(r.Dropped))
	}
}

// What is kept of a file comes in through edits, too.
func TestOnlyObjectsAreKept(t *testing.T) {
	for _, kept := range []string{"5", "[1]", "{", `"x"`} {
		c := Cut{Tracks: []Track{{Clips: []Clip{{Length: 1, Before: []Other{{Kept: Kept(kept)}}}}}}}
		if err := c.Check(); err == nil || !strings.Contains(err.Error(), "no JSON object") {
			t.Errorf("%s: %v", kept, err)
		}
	}
	far := Cut{Tracks: []Track{{After: []Other{{Off: MaxFrames + 1, Kept: Kept("{}")}}}}}
	if far.Check() == nil {
		t.Error("something lies beyond all frames")
	}
	large := Cut{Kept: Kept(`{"a":"` + strings.Repeat("x", MaxKept) + `"}`)}
	if err := large.Check(); err == nil || !strings.Contains(err.Error(), "a cut keeps at most") {
		t.Errorf("too much: %v", err)
	}
}

func TestWrongListsAreRefused(t *testing.T) {
	for says, text := range map[string]string{
		"no text file": "\x00\x01\x02\x03",
		"too long":     strings.Repeat("a", 1<<20),
		"more than 100000 events": strings.Repeat(
			"001 a A C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n", 100_001,
		),
		"neither events nor":     strings.Repeat("what is this\n", 5000),
		"at most 64 tracks":      "001 a V65 C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n",
		"the record ends at":     "001 a V C 10:00:00:00 10:00:01:00 10:00:00:00 01:00:01:00\n",
		"hours; at most 23 are":  "001 a V C 10:00:00:00 10:00:01:00 24:00:00:01 24:00:01:00\n",
		"no events of pictures":  "001 a A C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n",
		"a list of frames a day": "",
	} {
		_, err := ReadEDL(clock(), strings.NewReader(text))
		if err == nil || text != "" && !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	long := Cut{Tracks: []Track{{Clips: []Clip{{Record: 24 * 86400, Length: 1, Source: 1}}}}}
	if _, _, err := WriteEDL("long", long, clock()); err == nil {
		t.Error("a cut of more than a day was written as a list")
	}
}

// manyEvents is a list with so many events, on two channels that do not follow the order of lines.
func manyEvents(n int) string {
	var b strings.Builder
	count := clock().Count
	for i := range n {
		in := count.Timecode(86400 + (i/2)*24)
		out := count.Timecode(86400 + (i/2)*24 + 24)
		fmt.Fprintf(
			&b,
			"%03d  REEL%d    V%d    C        10:00:00:00 10:00:01:00 %s %s\r\n* FROM CLIP NAME: clip %d\r\n",
			i%999+1,
			i%40,
			i%2+1,
			in,
			out,
			i,
		)
	}
	return b.String()
}

func BenchmarkReadEDL(b *testing.B) {
	text := manyEvents(24_000)
	for b.Loop() {
		if _, err := ReadEDL(clock(), strings.NewReader(text)); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(24_000*float64(b.N)/b.Elapsed().Seconds(), "events/s")
}

// A file of 64 MB that is none of an edit: every line is a comment, or an event that meets all others.
func BenchmarkReadEDLOfAWrongFile(b *testing.B) {
	for name, line := range map[string]string{
		"comments": "* nothing but words, of which no event knows anything at all\n",
		"events":   "001 a V C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n",
		"silence":  "001 a A C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n",
		"letters":  "QUAY CAMERA\n",
	} {
		text := strings.Repeat(line, MaxBytes/len(line))
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if _, err := ReadEDL(clock(), strings.NewReader(text)); err == nil {
					b.Fatal("it was read")
				}
			}
			b.ReportMetric(float64(len(text)*b.N)/b.Elapsed().Seconds()/1e6, "MB/s")
		})
	}
}
