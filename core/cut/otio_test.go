package cut

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/frame"
)

// The files of this test were written by hand after the serialized schemas that the OpenTimelineIO project documents
// (Timeline.1, Stack.1, Track.1, Clip.1 and .2, Gap.1, Transition.1, Marker.2, its media references and effects).

// readTimeline reads a timeline of testdata.
func readTimeline(t *testing.T, name string, clock frame.Clock) Reading {
	t.Helper()
	file, err := os.Open("testdata/" + name + ".otio")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	r, err := ReadOTIO(file, clock)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return r
}

// written returns a cut as a timeline, as plain values.
func written(t *testing.T, c Cut) map[string]any {
	t.Helper()
	var b bytes.Buffer
	if dropped, err := WriteOTIO(&b, "title", c, clock()); err != nil || len(dropped) > 0 {
		t.Fatalf("dropped %q, %v", dropped, err)
	}
	var all map[string]any
	if err := json.Unmarshal(b.Bytes(), &all); err != nil {
		t.Fatal(err)
	}
	return all
}

// part returns a value by its keys and indices.
func part(v any, path ...any) any {
	for _, p := range path {
		switch p := p.(type) {
		case string:
			m, _ := v.(map[string]any)
			v = m[p]
		case int:
			list, _ := v.([]any)
			if p >= len(list) {
				return nil
			}
			v = list[p]
		}
	}
	return v
}

// 20 clips of 10 frames at 25 frames a second last 8 s, which is 192 frames at 24.
func TestRatesDoNotDrift(t *testing.T) {
	r := readTimeline(t, "rates", clock())
	clips := r.Cut.Tracks[0].Clips
	if r.Cut.Length() != 192 || len(clips) != 20 ||
		!says(r.Changed, "times at 25 frames a second are brought to 24 fps") {
		t.Fatalf("%d frames in %d clips, changed %q", r.Cut.Length(), len(clips), r.Changed)
	}
	for i, clip := range clips {
		// The k-th clip begins k x 0.4 s after the first, in the cut and in its scene.
		if want := (i*96 + 5) / 10; clip.Record != want || clip.Source != 1001+want {
			t.Errorf("clip %d begins at %d and shows %d, not %d", i, clip.Record, clip.Source, want)
		}
	}
}

func TestPulldownIsSaid(t *testing.T) {
	r := readTimeline(t, "pulldown", clock())
	if got, want := line(r.Cut), "0-999 010 1001-2000; 1000-1499 020 1001-1500"; got != want {
		t.Errorf("seen is %s", got)
	}
	const word = "times at 23.976 frames a second are taken frame for frame at 24 fps, where they last 0.1 % shorter"
	if !slices.Equal(r.Changed, []string{word}) {
		t.Errorf("changed %q", r.Changed)
	}
	ntsc := clock()
	ntsc.Rate = frame.Rate{Numerator: 24000, Denominator: 1001}
	if r := readTimeline(t, "pulldown", ntsc); len(r.Changed) > 0 || r.Cut.Length() != 1500 {
		t.Errorf("at its own rate it says %q", r.Changed)
	}
	for perSecond, want := range map[float64]string{
		23.976: "23.976 fps", 23.98: "23.976 fps", 23.976023976: "23.976 fps", 29.97: "29.970 fps", 59.94: "59.940 fps",
		24: "24 fps", 12.5: "25/2 fps", 30.000001: "30 fps", 47.952: "47.952 fps", 48000: "48000 fps",
	} {
		if got := rateOf(perSecond).String(); got != want {
			t.Errorf("%g is %s, not %s", perSecond, got, want)
		}
	}
}

func TestSpeedsOfTracksAndStacksAreThoseOfTheirClips(t *testing.T) {
	r := readTimeline(t, "warps", clock())
	r.Cut.Match([]string{"010", "020", "030", "040", "050", "060"})
	below := r.Cut
	below.Tracks = below.Tracks[:1]
	// From its 12th frame on at twice the speed: 6 frames of 020, then 12 of 030. 040 is played backwards from its end.
	if got, want := line(below), "0-23 010 1001-1024; 24-29 020 1013-1023x2; 30-41 030 1001-1023x2; "+
		"42-53 040 1013-1024; 54-63 050 1001-1002,1004-1005,1007-1008,1010-1011,1013-1014"; got != want {
		t.Errorf("seen is %s", got)
	}
	slow := r.Cut.Tracks[1].Clips
	if len(slow) != 1 || slow[0].Speed != (Speed{1, 2}) || slow[0].Length != 24 {
		t.Errorf("the slow track has %+v", slow)
	}
	if !says(
		r.Changed, `the speed 200 % of the track "quick"`, `the speed -100 % of the stack "back"`,
		`the speed 50 % of the track "slow"`,
	) || len(r.Dropped) > 0 {
		t.Errorf("changed %q, dropped %q", r.Changed, r.Dropped)
	}
	all := written(t, r.Cut)
	// Both warps of 050 stay as they came while its speed is what they make.
	if effects := part(all, "tracks", "children", 0, "children", 4, "effects"); len(effects.([]any)) != 2 ||
		part(effects, 1, "metadata", "editor", "curve") != "flat" {
		t.Errorf("the effects of 050 are %v", effects)
	}
	r.Cut.Tracks[0].Clips[4].Speed = Speed{1, 4}
	if effects := part(written(t, r.Cut), "tracks", "children", 0, "children", 4, "effects"); len(
		effects.([]any),
	) != 1 ||
		part(effects, 0, "time_scalar") != 0.25 {
		t.Errorf("at another speed they are %v", effects)
	}
}

// holds reports where something of one value is not in another; fields of it that say nothing do not count.
func holds(path string, came, is any) error {
	switch came := came.(type) {
	case map[string]any:
		for key, value := range came {
			if err := holds(path+"."+key, value, part(is, key)); err != nil {
				return err
			}
		}
	case []any:
		list, _ := is.([]any)
		if len(came) != len(list) {
			return fmt.Errorf("%s: %d parts became %d", path, len(came), len(list))
		}
		for i := range came {
			if err := holds(fmt.Sprintf("%s[%d]", path, i), came[i], list[i]); err != nil {
				return err
			}
		}
	default:
		if came != nil && came != "" && !reflect.DeepEqual(came, is) {
			return fmt.Errorf("%s: %v became %v", path, came, is)
		}
	}
	return nil
}

// upgraded puts what a Clip.1 says where a Clip.2 has it.
func upgraded(v any) any {
	switch v := v.(type) {
	case map[string]any:
		if v["OTIO_SCHEMA"] == "Clip.1" {
			v["OTIO_SCHEMA"] = "Clip.2"
			v["media_references"] = map[string]any{"DEFAULT_MEDIA": v["media_reference"]}
			delete(v, "media_reference")
		}
		for _, child := range v {
			upgraded(child)
		}
	case []any:
		for _, child := range v {
			upgraded(child)
		}
	}
	return v
}

func TestWhatIsNotUnderstoodIsWrittenWhereItHung(t *testing.T) {
	for _, name := range []string{"kept", "newer"} {
		data, err := os.ReadFile("testdata/" + name + ".otio")
		if err != nil {
			t.Fatal(err)
		}
		var came any
		if err := json.Unmarshal(data, &came); err != nil {
			t.Fatal(err)
		}
		r := readTimeline(t, name, clock())
		if len(r.Dropped) > 0 {
			t.Errorf("%s: dropped %q", name, r.Dropped)
		}
		is := written(t, r.Cut)
		if err := holds(name, upgraded(came), is); err != nil {
			t.Error(err)
		}
		// What was written reads as the same cut, and is written as the same file.
		var b bytes.Buffer
		if _, err := WriteOTIO(&b, "title", r.Cut, clock()); err != nil {
			t.Fatal(err)
		}
		again, err := ReadOTIO(bytes.NewReader(b.Bytes()), clock())
		if err != nil {
			t.Fatal(err)
		}
		again.Cut.Tracks[0].Name = r.Cut.Tracks[0].Name
		if !reflect.DeepEqual(written(t, again.Cut), is) {
			t.Errorf("%s: it comes back as %+v, not %+v", name, again.Cut, r.Cut)
		}
	}
	r := readTimeline(t, "kept", clock())
	clips := r.Cut.Tracks[0].Clips
	if r.Cut.Length() != 138 || len(clips) != 4 || clips[1].Reel != "file:///plates/020/020.%04d.exr" ||
		clips[2].Reel != "SMPTEBars" || clips[3].Record != 78 {
		t.Errorf("%d frames of %+v", r.Cut.Length(), clips)
	}
	if !slices.Equal(clips[0].Notes, []string{"marker: wave (RED, frames 1013 to 1016, too slow)"}) ||
		!slices.Equal(clips[1].Notes, []string{"transition: SMPTE_Dissolve, 6 frames before and 4 after"}) {
		t.Errorf("notes %q, %q", clips[0].Notes, clips[1].Notes)
	}
	if !says(
		r.Changed,
		`the clip "empty" has no frames; it is kept`,
		"a Mix.1 is not understood; it is kept as it came, and is a "+
			"gap of 6 frames",
		`the effect Effect.1 Glow of "010" is kept`,
		`the markers of the track "pictures", 1 of them`,
		`the track of Audio "A1" is kept`,
		`the track of Subtitles "S1" is kept`,
		"transition SMPTE_Dissolve",
	) {
		t.Errorf("changed\n%s", strings.Join(r.Changed, "\n"))
	}
	newer := readTimeline(t, "newer", clock())
	if !says(newer.Changed, "a Clip of version 4; it is read as version 2", "a Timeline of version 3") {
		t.Errorf("changed %q", newer.Changed)
	}
}

// What a file does not say is not said again while nothing is changed of it.
func TestWhatAFileDoesNotSayStaysUnsaid(t *testing.T) {
	const text = `{"OTIO_SCHEMA": "Timeline.1", "name": "t", "global_start_time": null, 
		"tracks": {"OTIO_SCHEMA": "Stack.1",
		"children": [{"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": [{"OTIO_SCHEMA": "Clip.2", "name": "a",
		"source_range": null, "active_media_reference_key": "DEFAULT_MEDIA", "media_references": {"DEFAULT_MEDIA": {
		"OTIO_SCHEMA": "ExternalReference.1", "target_url": "a.mov", "available_range": {"OTIO_SCHEMA": "TimeRange.1",
		"start_time": {"OTIO_SCHEMA": "RationalTime.1", "rate": 24, "value": 864000}, "duration": {
		"OTIO_SCHEMA": "RationalTime.1", "rate": 24, "value": 48}}}}}]}]}}`
	r, err := ReadOTIO(strings.NewReader(text), clock())
	if err != nil {
		t.Fatal(err)
	}
	clip := func(c Cut) any { return part(written(t, c), "tracks", "children", 0, "children", 0, "source_range") }
	if written(t, r.Cut)["global_start_time"] != nil || clip(r.Cut) != nil {
		t.Errorf("it says %v and %v", written(t, r.Cut)["global_start_time"], clip(r.Cut))
	}
	if err := r.Cut.Trim(0, 0, 0, 24); err != nil {
		t.Fatal(err)
	}
	r.Cut.Start = 86400
	if part(written(t, r.Cut), "global_start_time", "value") != 86400.0 ||
		part(clip(r.Cut), "duration", "value") != 24.0 {
		t.Errorf("changed it says %v and %v", written(t, r.Cut)["global_start_time"], clip(r.Cut))
	}
}

// What hangs on a clip goes with it, as far as there is room.
func TestWhatHangsOnAClipMovesWithIt(t *testing.T) {
	r := readTimeline(t, "kept", clock())
	c := r.Cut
	if err := c.Move(0, 3, 200, 0); err != nil { // 030, with the empty clip and the Mix before it
		t.Fatal(err)
	}
	children := part(written(t, c), "tracks", "children", 0, "children").([]any)
	var kinds []string
	for _, child := range children {
		kinds = append(kinds, fmt.Sprint(part(child, "OTIO_SCHEMA"), " ", part(child, "name")))
	}
	if got, want := strings.Join(kinds, ", "), "Clip.2 010, Transition.1 t, Clip.2 020, Gap.1 hold here, Clip.2 bars, "+
		"Gap.1 , Clip.2 empty, Mix.1 of another program, Clip.2 030"; got != want {
		t.Errorf("the track has %s", got)
	}
	if err := c.Move(0, 3, 73, 0); err != nil { // one frame after the bars
		t.Fatal(err)
	}
	var b bytes.Buffer
	dropped, err := WriteOTIO(&b, "t", c, clock())
	if err != nil || !says(dropped, "no room any more for Mix.1 of another program") {
		t.Errorf("dropped %q, %v", dropped, err)
	}
}

func TestATimelineEndsWhereItsTracksDo(t *testing.T) {
	r := readTimeline(t, "kept", clock())
	seen := r.Cut.Seen()
	if last := seen[len(seen)-1]; !last.Gap() || last.From != 102 || last.To != 138 {
		t.Errorf("the last that is seen is %+v", last)
	}
	c := r.Cut
	if err := c.Ripple(0, 0, 0, 34); err != nil || c.Length() != 148 {
		t.Errorf("10 frames longer it has %d frames, %v", c.Length(), err)
	}
	if c.Close(); c.Length() != 112 {
		t.Errorf("closed it has %d frames", c.Length())
	}
}

// A file that is no timeline, but as large as one may be.
func BenchmarkReadOTIOOfAWrongFile(b *testing.B) {
	for name, text := range map[string]string{
		"numbers": "[" + strings.Repeat("1,", MaxBytes/2-2) + "1]", "text": `"` + strings.Repeat("a", MaxBytes-2) + `"`,
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if _, err := ReadOTIO(strings.NewReader(text), clock()); err == nil {
					b.Fatal("it was read")
				}
			}
			b.ReportMetric(float64(len(text)*b.N)/b.Elapsed().Seconds()/1e6, "MB/s")
		})
	}
}

func BenchmarkReadOTIO(b *testing.B) {
	c := Cut{Tracks: []Track{{}}}
	for i := range 24_000 {
		c.Tracks[0].Clips = append(c.Tracks[0].Clips, Clip{
			Shot: "010", Name: fmt.Sprint("clip ", i), Reel: "a.mov", Record: 10 * i, Length: 10, Source: 1001,
		})
	}
	var file bytes.Buffer
	if _, err := WriteOTIO(&file, "long", c, clock()); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := ReadOTIO(bytes.NewReader(file.Bytes()), clock()); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(24_000*float64(b.N)/b.Elapsed().Seconds(), "clips/s")
}
