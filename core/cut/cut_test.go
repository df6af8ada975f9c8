package cut

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/frame"
)

// clock is that of a production at 24 frames a second whose frame 1001 bears 10:00:00:00.
func clock() frame.Clock {
	return frame.Clock{
		Count: frame.Count{Rate: frame.Rate{Numerator: 24, Denominator: 1}},
		First: 1001,
		Start: frame.Timecode{Hours: 10},
	}
}

// line writes what is seen, span by span.
func line(c Cut) string {
	var parts []string
	for _, s := range c.Seen() {
		if s.Gap() {
			parts = append(parts, fmt.Sprintf("%d-%d gap", s.From, s.To-1))
			continue
		}
		parts = append(parts, fmt.Sprintf("%d-%d %s %s", s.From, s.To-1, s.Clip.Title(), s.Sources()))
	}
	return strings.Join(parts, "; ")
}

func TestTheUpperTrackCoversAndWhatIsMutedIsSkipped(t *testing.T) {
	c := Cut{Tracks: []Track{
		{
			Clips: []Clip{
				{Shot: "010", Record: 0, Length: 48, Source: 1001},
				{Shot: "020", Record: 60, Length: 24, Source: 1033},
			},
		},
		{Clips: []Clip{{Shot: "030", Record: 40, Length: 30, Source: 1061}}},
	}}
	if got, want := line(c), "0-39 010 1001-1040; 40-69 030 1061-1090; 70-83 020 1043-1056"; got != want {
		t.Errorf("seen is %s", got)
	}
	used, err := c.Used()
	if err != nil || used[Use{"010", ""}].String() != "1001-1040" || used[Use{"020", ""}].String() != "1043-1056" {
		t.Errorf("used are %v, %v", used, err)
	}
	c.Tracks[1].Clips[0].Muted = true
	if got, want := line(c), "0-47 010 1001-1048; 48-59 gap; 60-83 020 1033-1056"; got != want {
		t.Errorf("muted, seen is %s", got)
	}
	if clip, source, ok := c.At(61); !ok || clip.Shot != "020" || source != 1034 {
		t.Errorf("at 61 is %v, %d, %v", clip, source, ok)
	}
	if _, _, ok := c.At(50); ok {
		t.Error("something is seen in the gap")
	}
	c.Tracks[0].Muted = true
	if got := line(c); got != "" {
		t.Errorf("all muted, seen is %s", got)
	}
}

// 120 frames at 24 frames a second last as long as 150 at 30, so that a clip of 150 record frames at 4/5 of the speed
// needs 120.
func TestRetimedClipsNeedTheirSourceFrames(t *testing.T) {
	for _, c := range []struct {
		clip Clip
		want string
	}{
		{Clip{Length: 150, Source: 1001, Speed: Speed{4, 5}}, "1001-1120"},
		{Clip{Length: 10, Source: 1001, Speed: Speed{2, 1}}, "1001-1019x2"},
		{Clip{Length: 10, Source: 1010, Speed: Speed{-1, 1}}, "1001-1010"},
		{Clip{Length: 10, Source: 1001, Speed: Hold}, "1001"},
		{Clip{Length: 4, Source: 1001, Speed: Speed{3, 2}}, "1001,1002,1004,1005"},
	} {
		if got := c.clip.Sources(0, c.clip.Length).String(); got != frame.MustParse(c.want).String() {
			t.Errorf("%s: %s, not %s", c.clip.Speed, got, c.want)
		}
	}
}

func TestClipsArePutMovedTrimmedAndSlipped(t *testing.T) {
	var c Cut
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	shot := func(code string) Clip { return Clip{Shot: code, Length: 10, Source: 1001} }
	must(c.Put(shot("a"), AtEnd, 0, 0, 0))
	must(c.Put(shot("b"), AtEnd, 0, 0, 0))
	must(c.Put(shot("c"), AfterIt, 0, 0, 0))
	must(c.Put(shot("d"), BeforeIt, 0, 0, 0))
	must(c.Put(shot("e"), AtHead, 15, 0, 0))
	if got, want := line(c), "0-9 d 1001-1010; 10-14 a 1001-1005; 15-24 e 1001-1010; 25-29 c 1006-1010; 30-39 b "+
		"1001-1010"; got != want {
		t.Errorf("seen is %s", got)
	}
	must(c.Put(shot("f"), AtBegin, 0, 0, 0))
	must(c.Remove(1, 0))
	if got, want := line(c), "0-9 f 1001-1010; 10-19 d 1001-1010; 20-29 a 1001-1010; 30-39 c 1001-1010; 40-49 b "+
		"1001-1010"; got != want {
		t.Errorf("seen is %s", got)
	}
	must(c.Move(0, 4, 35, 0)) // b over c: it goes to the track above
	must(c.Trim(0, 1, 12, 18))
	rippled := Cut{Tracks: []Track{{Clips: []Clip{
		{Shot: "a", Record: 0, Length: 10, Source: 1001}, {Shot: "b", Record: 10, Length: 5, Source: 1},
		{Shot: "c", Record: 20, Length: 5, Source: 1},
	}}}}
	must(rippled.Ripple(0, 0, 0, 14))
	must(rippled.Ripple(0, 1, 16, 19)) // two frames at its head
	if got := rippled.Tracks[0].Clips; got[0].Length != 14 || got[1].Record != 14 || got[1].Source != 3 ||
		got[1].Length != 3 || got[2].Record != 22 {
		t.Errorf("rippled: %+v", got)
	}
	if rippled.Ripple(0, 0, 5, 5) == nil || rippled.Ripple(0, 9, 0, 1) == nil {
		t.Error("nothing was left of a clip, or there was none")
	}
	must(c.Slip(0, 2, 5))
	if got, want := line(c), "0-9 f 1001-1010; 10-11 gap; 12-17 d 1003-1008; 18-19 gap; 20-29 a 1006-1015; 30-34 c "+
		"1001-1005; 35-44 b 1001-1010"; got != want {
		t.Errorf("seen is %s", got)
	}
	for what, err := range map[string]error{
		"nothing left": c.Trim(0, 0, 5, 5), "no such clip": c.Slip(3, 0, 1), "before the cut": c.Move(0, 0, -1, 0),
		"over the next": c.Trim(0, 1, 12, 25), "nowhere": c.Put(shot("x"), "there", 0, 0, 0),
		"nothing chosen": c.Put(shot("x"), AfterIt, 0, 9, 9),
	} {
		if err == nil {
			t.Errorf("%s: no error", what)
		}
	}
}

func TestAListWithOdditiesIsRead(t *testing.T) {
	file, err := os.Open("testdata/reel_with_spaces.edl")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	r, err := ReadEDL(clock(), file)
	if err != nil {
		t.Fatal(err)
	}
	if left := r.Cut.Match([]string{"010", "020", "030", "040"}); left != 0 {
		t.Errorf("%d clips have no shot", left)
	}
	if got, want := line(r.Cut), "0-47 010 1001-1048; 48-95 020 1033-1080; 96-107 gap; 108-155 030 1061-1084; "+
		"156-179 040 1084"; got != want {
		t.Errorf("seen is %s", got)
	}
	clips := r.Cut.Tracks[0].Clips
	if clips[1].Reel != "QUAY CAM B" || clips[1].Name != "020_bow" || len(clips[1].Notes) != 2 ||
		clips[2].Speed != (Speed{1, 2}) ||
		clips[3].Speed != Hold ||
		r.Cut.Start != 86400 {
		t.Errorf("read were %+v, from %d", clips, r.Cut.Start)
	}
	if len(r.Dropped) != 2 || !strings.Contains(r.Dropped[0], "line 10") ||
		!strings.Contains(r.Dropped[1], "channel B") || len(r.Changed) != 1 {
		t.Errorf("dropped %q, changed %q", r.Dropped, r.Changed)
	}
}

// At 29.97 frames a second with numbers dropped, 00:00:59;28 and 00:01:00;04 are 4 frames apart: 59;28, 59;29, 1:00;02,
// 1:00;03 (SMPTE ST 12-1).
func TestDropFrameListsAreCountedByTheirTimecode(t *testing.T) {
	text, err := os.ReadFile("testdata/drop_frame.edl")
	if err != nil {
		t.Fatal(err)
	}
	ntsc := frame.Clock{Count: frame.Count{Rate: frame.Rate{Numerator: 30000, Denominator: 1001}, Drop: true}, First: 0}
	r, err := ReadEDL(ntsc, bytes.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	if got, want := line(r.Cut), "0-3 010 1798-1801; 4-1801 020 1800-3597"; got != want {
		t.Errorf("seen is %s", got)
	}
	if _, err := ReadEDL(clock(), bytes.NewReader(text)); err == nil || !strings.Contains(err.Error(), "line 2") {
		t.Errorf("drop-frame at 24: %v", err)
	}
}

func TestMistakesInListsAreToldByLine(t *testing.T) {
	for _, c := range [][2]string{
		{"TITLE: x\n001 010 V C 10:00:00:00 10:00:01:00 01:00:00:00\n", "line 2: an event has"},
		{"001 010 V C 10:00:00:24 10:00:01:00 01:00:00:00 01:00:01:00\n", "line 1: frames"},
		{"001 010 V Q 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n", `line 1: the transition "Q"`},
		{"001 010 X C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\n", `line 1: the channel "X"`},
		{"\n001 010 V C 10:00:01:00 10:00:00:00 01:00:00:00 01:00:01:00\n", "line 2: the source ends at 10:00:00:00"},
		{"001 010 V C 10:00:00:00 10:00:01:00 01:00:01:00 01:00:00:00\n", "line 1: the record ends"},
		{"M2 010 024.0 10:00:00:00\n", "line 1: a speed comes before"},
		{"FCM: SOMETHING\n", "line 1: FCM"},
		{"001 010 V C 10:00:00;00 10:00:01:00 01:00:00:00 01:00:01:00\n", "line 1: 10:00:00;00 is drop-frame"},
		{"001 010 V C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00\nM2 010 fast 10:00:00:00\n", `line 2: "fast"`},
		{"TITLE: nothing\n", "no events"},
	} {
		text, says := c[0], c[1]
		if _, err := ReadEDL(clock(), strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func TestATimelineWithOdditiesIsRead(t *testing.T) {
	file, err := os.Open("testdata/nested.otio")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	r, err := ReadOTIO(file, clock())
	if err != nil {
		t.Fatal(err)
	}
	r.Cut.Match([]string{"010", "020", "030"})
	// Of the nested stack frames 4 to 23 are seen: 020 from its 5th frame on, covered by 030 from the 11th for 6
	// frames.
	if got, want := line(r.Cut),
		"0-47 010 1001-1048; 48-53 020 1037-1042; 54-59 030 1061-1071x2; 60-67 020 1049-1056"; got != want {
		t.Errorf("seen is %s", got)
	}
	if r.Name != "Saltmarsh, reel 2" || r.Cut.Start != 86400 || len(r.Dropped) != 0 || len(r.Changed) != 7 {
		t.Errorf("%s from %d, dropped %q, changed %q", r.Name, r.Cut.Start, r.Dropped, r.Changed)
	}
	if note := r.Cut.Tracks[0].Clips[1].Notes; len(note) != 1 ||
		note[0] != "transition: SMPTE_Dissolve, 6 frames before and 6 after" {
		t.Errorf("notes %q", note)
	}
}

func TestMistakesInTimelinesAreToldByLine(t *testing.T) {
	timeline := func(clip string) string {
		return `{"OTIO_SCHEMA": "Timeline.1", "tracks": {"OTIO_SCHEMA": "Stack.1", ` +
			`"children": [{"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": [` + "\n" + clip + `]}]}}`
	}
	for _, c := range [][2]string{
		{"{\n", "line 2: the file ends too early"},
		{"[]", "line 1: the file holds a thing without a schema"},
		{`{"OTIO_SCHEMA": "Clip.2"}`, "line 1: the file holds a Clip.2"},
		{`{"OTIO_SCHEMA": "Timeline.1"}`, "no stack of tracks"},
		{timeline(""), "no clips of pictures"},
		{timeline(`{"OTIO_SCHEMA": "Stack.1", "children": [{"OTIO_SCHEMA": "Mix.1"}]}`),
			"line 2: a Mix.1 cannot lie on a track"},
		{timeline(`{"OTIO_SCHEMA": "Clip.2", "name": "x"}`), `line 2: the clip "x" says neither`},
		{timeline(`{"OTIO_SCHEMA": "Clip.2", ` +
			`"source_range": {"start_time": {"value": 0, "rate": 0}, "duration": {"value": 1, "rate": 24}}}`),
			"line 2: a rate of 0"},
		{timeline(`{"OTIO_SCHEMA": "Clip.2", ` +
			`"source_range": {"start_time": {"value": 0, "rate": 24}, "duration": {"value": -1, "rate": 24}}}`),
			"line 2: source_range lasts -1"},
		{timeline(`{"OTIO_SCHEMA": "Clip.2", ` +
			`"source_range": {"start_time": {"value": 0, "rate": 24}, "duration": {"value": 1, "rate": 24}}, ` +
			`"effects": [{"OTIO_SCHEMA": "LinearTimeWarp.1"}]}`),
			"line 2: time_scalar is missing"},
	} {
		text, says := c[0], c[1]
		_, err := ReadOTIO(strings.NewReader(text), clock())
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
	deep := strings.Repeat(`{"OTIO_SCHEMA": "Stack.1", "children": [`, 150)
	if _, err := ReadOTIO(strings.NewReader(timeline(deep)), clock()); !errors.As(err, new(*Mistake)) {
		t.Errorf("deep stacks: %v", err)
	}
}

// writeEDL writes the lists of a cut one behind the other.
func writeEDL(w *bytes.Buffer, title string, c Cut) error {
	lists, _, err := WriteEDL(title, c, clock())
	for _, list := range lists {
		w.Write(list)
	}
	return err
}

// sample is a cut with everything that both formats can hold.
func sample() Cut {
	return Cut{Start: 86400, Tracks: []Track{{Clips: []Clip{
		{Shot: "010", View: "quay", Name: "a clip", Reel: "R 1", Record: 0, Length: 48, Source: 1001},
		{
			Shot:   "020",
			Record: 60,
			Length: 24,
			Source: 1033,
			Reel:   "020",
			Notes:  []string{"transition: dissolve", "a note"},
			Speed:  Speed{2, 1},
		},
		{Shot: "030", Record: 84, Length: 30, Source: 990, Reel: "030", Speed: Speed{1, 3}},
		{Shot: "040", Record: 114, Length: 12, Source: 1084, Reel: "040", Speed: Hold},
		{Shot: "050", Record: 126, Length: 10, Source: 1092, Reel: "050", Speed: Speed{-1, 1}},
		{Name: "titles", Reel: "AX", Record: 140, Length: 5, Source: 1001},
	}}}}
}

func TestCutsComeBackTheSame(t *testing.T) {
	for name, c := range map[string]struct {
		write func(w *bytes.Buffer, c Cut) ([]string, error)
		read  func(r *bytes.Buffer) (Reading, error)
	}{
		"EDL": {func(w *bytes.Buffer, c Cut) ([]string, error) { return nil, writeEDL(w, "reel", c) },
			func(r *bytes.Buffer) (Reading, error) { return ReadEDL(clock(), r) }},
		"OpenTimelineIO": {func(w *bytes.Buffer, c Cut) ([]string, error) { return WriteOTIO(w, "reel", c, clock()) },
			func(r *bytes.Buffer) (Reading, error) { return ReadOTIO(r, clock()) }},
	} {
		var b bytes.Buffer
		dropped, err := c.write(&b, sample())
		text := b.String()
		if err != nil || len(dropped) > 0 {
			t.Fatalf("%s: dropped %q, %v", name, dropped, err)
		}
		r, err := c.read(&b)
		if err != nil {
			t.Fatalf("%s: %v\n%s", name, err, text)
		}
		for i := range r.Cut.Tracks {
			r.Cut.Tracks[i].Name = ""
		}
		want := sample()
		want.Name = "reel"
		if !reflect.DeepEqual(r.Cut, want) {
			t.Errorf("%s: it came back as\n%+v\nnot\n%+v\n%s", name, r.Cut, want, text)
		}
	}
	two := sample()
	two.Sound = Sound{Name: "waves.wav"}
	two.Tracks = append(
		two.Tracks,
		Track{
			Name:  "over",
			Muted: true,
			Clips: []Clip{{Shot: "060", Record: 10, Length: 5, Source: 1001, Muted: true, Reel: "x"}},
		},
	)
	var b bytes.Buffer
	if _, dropped, err := WriteEDL("two", two, clock()); err != nil || len(dropped) != 3 {
		t.Errorf("of tracks and sound an EDL says %q, %v", dropped, err)
	}
	b.Reset()
	if dropped, err := WriteOTIO(&b, "two", two, clock()); err != nil || len(dropped) != 0 {
		t.Errorf("dropped %q, %v", dropped, err)
	}
	two.Tracks[0].Name, two.Name = "V1", "two"
	if r, err := ReadOTIO(&b, clock()); err != nil || !reflect.DeepEqual(r.Cut, two) {
		t.Errorf("two tracks: %v\n%+v\n%+v", err, r.Cut, two)
	}
}

// A timeline from elsewhere may have its sound on a track of its own. One file from the beginning on is what a cut can
// have; anything else is told.
func TestASoundIsTakenFromItsTrack(t *testing.T) {
	const (
		length = `"source_range": {"OTIO_SCHEMA": "TimeRange.1", "start_time": {"OTIO_SCHEMA": "RationalTime.1", ` +
			`"value": 0, "rate": 24}, "duration": {"OTIO_SCHEMA": "RationalTime.1", "value": 48, "rate": 24}}`
		clip = `{"OTIO_SCHEMA": "Clip.1", "name": "sea", ` + length +
			`, "media_reference": {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "file:///sounds/sea bed.wav"}}`
		bare = `{"OTIO_SCHEMA": "Clip.1", "name": "sea", ` + length + `}`
		gap  = `{"OTIO_SCHEMA": "Gap.1", ` + length + `}`
	)
	both := `{"OTIO_SCHEMA": "Timeline.1", "name": "t", "tracks": {"OTIO_SCHEMA": "Stack.1", "children": [
		{"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": [` + bare + `]},
		{"OTIO_SCHEMA": "Track.1", "kind": "Audio", "name": "A1", "children": [` + clip + `]},
		{"OTIO_SCHEMA": "Track.1", "kind": "Audio", "name": "A2", "children": [` + clip + `]}]}}`
	stereo, err := ReadOTIO(strings.NewReader(both), clock())
	if err != nil || len(stereo.Cut.Others) != 2 || !says(stereo.Changed, `"A2" is of the same sound`) {
		t.Errorf("of two channels of one sound %d are kept, %v, %q", len(stereo.Cut.Others), err, stereo.Changed)
	}
	for children, want := range map[string]struct{ sound, says string }{
		clip: {"sea bed.wav", "the sound is kept by its name, sea bed.wav"}, bare: {"sea", "kept by its name"},
		clip + "," + clip: {"", `track of Audio "A1" is kept`}, gap: {"", `track of Audio "A1" is kept`},
	} {
		text := `{"OTIO_SCHEMA": "Timeline.1", "name": "t", "tracks": {"OTIO_SCHEMA": "Stack.1", "children": [
			{"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": [` + bare + `]},
			{"OTIO_SCHEMA": "Track.1", "kind": "Audio", "name": "A1", "children": [` + children + `]}]}}`
		r, err := ReadOTIO(strings.NewReader(text), clock())
		if said := strings.Join(append(r.Changed, r.Dropped...), "; "); err != nil || r.Cut.Sound.Name != want.sound ||
			len(r.Cut.Tracks) != 1 ||
			!strings.Contains(said, want.says) {
			t.Errorf("%s: %q, %q, %v", children, r.Cut.Sound.Name, said, err)
		}
	}
}

func FuzzEDL(f *testing.F) {
	for _, name := range []string{"reel_with_spaces", "drop_frame"} {
		text, err := os.ReadFile("testdata/" + name + ".edl")
		if err != nil {
			f.Fatal(err)
		}
		f.Add(string(text))
	}
	f.Add("001 a V C 23:59:59:23 00:00:00:00 23:59:59:23 00:00:00:00\nM2 a -099.5 00:00:00:00\n")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := ReadEDL(clock(), strings.NewReader(text))
		if err != nil {
			return
		}
		if err := r.Cut.Check(); err != nil {
			t.Fatal(err)
		}
		var b bytes.Buffer
		if err := writeEDL(&b, r.Name, r.Cut); err != nil {
			t.Fatal(err)
		}
		if len(r.Cut.Flat().Clips) == 0 {
			return
		}
		if _, err := ReadEDL(clock(), &b); err != nil {
			t.Fatalf("what was written cannot be read: %v\n%s", err, b.String())
		}
	})
}

func FuzzOTIO(f *testing.F) {
	text, err := os.ReadFile("testdata/nested.otio")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(text))
	var b bytes.Buffer
	if _, err := WriteOTIO(&b, "sample", sample(), clock()); err != nil {
		f.Fatal(err)
	}
	f.Add(b.String())
	f.Fuzz(func(t *testing.T, text string) {
		r, err := ReadOTIO(strings.NewReader(text), clock())
		if err != nil {
			return
		}
		var b bytes.Buffer
		if _, err := WriteOTIO(&b, r.Name, r.Cut, clock()); err != nil {
			t.Fatal(err)
		}
		again, err := ReadOTIO(&b, clock())
		if err != nil || again.Cut.Length() != r.Cut.Length() {
			t.Fatalf("what was written comes back otherwise: %v", err)
		}
	})
}

func BenchmarkSeen(b *testing.B) {
	var c Cut
	for k := range 8 {
		var t Track
		for i := range 2000 {
			t.Clips = append(t.Clips, Clip{Shot: "a", Record: i*50 + k*5, Length: 40, Source: 1001})
		}
		c.Tracks = append(c.Tracks, t)
	}
	b.ReportAllocs()
	for b.Loop() {
		c.Seen()
	}
	b.ReportMetric(float64(16000*b.N)/b.Elapsed().Seconds(), "clips/s")
}
