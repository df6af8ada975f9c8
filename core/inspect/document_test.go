package inspect

import (
	"bytes"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/frame"
)

func TestAnInspectionIsReadAsItWasWritten(t *testing.T) {
	want := Inspection{Version: 1, Sequences: []SequenceReport{{
		Name: "a.(frame).exr", Frames: frame.Of(1, 4), Width: 9, Height: 5, Channels: []string{"R"}, LoopStep: 0.5,
		Findings: []Finding{
			{Fault: Band, Frame: 2, Place: &Window{Y: 1, Width: 9, Height: 4}, Number: 4, Text: "four lines"},
			{Fault: Black, Frame: 3, Text: "black"},
		},
	}}}
	var b bytes.Buffer
	if err := Write(&b, want); err != nil {
		t.Fatal(err)
	}
	if got, err := ReadInspection(&b); err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%+v, %v", got, err)
	}
	for text, says := range map[string]string{
		"":               "EOF",
		`{"version": 2}`: "version 2",
		`{"version": 1, "sequences": [{"width": 4, "height": 4, "findings": [{"place":
			{"x": 1, "y": 0, "width": 4, "height": 1}}]}]}`: "outside the picture",
		`{"version": 1, "sequences": [{"width": 4, "height": 4, "findings": [{"place":
			{"x": 9223372036854775807, "y": 0, "width": 4, "height": 1}}]}]}`: "outside the picture",
		`{"version": 1, "sequences": [{"frames": "4-1"}]}`: "frame",
	} {
		if _, err := ReadInspection(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

func FuzzReadInspection(f *testing.F) {
	f.Add(
		[]byte(
			`{"version": 1, "sequences": [{"frames": "1-4", "width": 2, "height": 2, "findings": [{"frame": 1}]}]}`,
		),
	)
	f.Fuzz(func(t *testing.T, data []byte) {
		i, err := ReadInspection(bytes.NewReader(data))
		if err != nil {
			return
		}
		var b bytes.Buffer
		if err := Write(&b, i); err != nil {
			t.Fatal(err)
		}
		if again, err := ReadInspection(&b); err != nil || len(again.Sequences) != len(i.Sequences) {
			t.Fatalf("%v", err)
		}
	})
}

func TestSeriesAreFilesThatAreNamedAlike(t *testing.T) {
	names := []string{
		"a/quay_v003.1002.exr", "a/quay_v003.1001.exr", "a/quay_v003.10001.exr", "b/quay_v003.1001.exr", "plate-12.png",
		"plate.-3.png", "plate.0004.png", "readme.txt", "still.0007", "clip 12b.tif", "1005.png", "x.12345678901.exr",
	}
	got := map[string][]int{}
	for _, s := range SeriesOf(names) {
		for _, f := range s.Files {
			got[s.Name] = append(got[s.Name], f.Frame)
		}
	}
	want := map[string][]int{
		"a/quay_v003.(frame).exr": {1001, 1002, 10001}, "b/quay_v003.(frame).exr": {1001}, "plate-(frame).png": {12},
		"plate.(frame).png": {-3, 4}, "still.(frame)": {7}, "clip (frame)b.tif": {12}, "(frame).png": {1005},
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got %v", got)
	}
	still := SeriesOfFrames([]SequenceFile{{"night_v003.exr", 1084}, {"day_v003.exr", 3}})
	if len(still) != 2 || still[0].Name != "day_v(frame).exr" || still[1].Name != "night_v003.exr" {
		t.Errorf("stills are %v", still)
	}
}

func FuzzSeriesOf(f *testing.F) {
	f.Add("a/quay.1001.exr\na/quay.1002.exr\n-7.x")
	f.Fuzz(func(t *testing.T, text string) {
		names := strings.Split(text, "\n")
		for _, s := range SeriesOf(names) {
			for _, file := range s.Files {
				before, after, _ := strings.Cut(s.Name, frameField)
				if len(s.Files) > 0 && !strings.Contains(text, file.Name) ||
					strings.Count(s.Name, frameField) == 1 && (!strings.HasPrefix(file.Name, before) ||
						!strings.HasSuffix(file.Name, after)) {
					t.Errorf("%q is of %q", file.Name, s.Name)
				}
			}
		}
	})
}
