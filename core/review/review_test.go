package review

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"reelhouse/core/cut"
	"reelhouse/core/frame"
)

func given(id int64, kind Kind, frames string) Verdict {
	return Verdict{
		ID: id, Kind: kind, Frames: frame.MustParse(frames), By: "Ann",
		Given: time.Date(2026, 11, 29, 8, int(id), 0, 0, time.UTC),
	}
}

func TestTheLastVerdictCounts(t *testing.T) {
	back := given(4, Approved, "1001-1010")
	back.Taken = back.Given
	all := []Verdict{
		given(1, Approved, "1001-1010"), given(2, Retake, "1003-1004"), given(3, Question, "1004, 1020"), back,
	}
	for kind, want := range map[Kind]string{Approved: "1001-1002,1005-1010", Retake: "1003", Question: "1004,1020"} {
		if on := On(all, kind); on.String() != want {
			t.Errorf("%s: %s", kind, on)
		}
	}
	if s := Standing(all); len(s) != 3 || s[0].ID != 1 || s[2].ID != 3 {
		t.Errorf("%+v", s)
	}
	if all[0].Frames.String() != "1001-1010" {
		t.Error("what was given was changed")
	}
}

func TestWhatIsApprovedIsProtected(t *testing.T) {
	all := []Verdict{given(1, Approved, "1001-1010")}
	for frames, want := range map[string]string{
		"1008-1012": "frames 1008-1010 are approved by Ann", "1010": "frame 1010 is approved", "1011": "",
	} {
		err := given(2, Retake, frames).Protected(all)
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%s: %v", frames, err)
		}
	}
	if err := given(2, Approved, "1001").Protected(all); err != nil {
		t.Error(err)
	}
	all[0].Taken = all[0].Given
	if err := given(2, Retake, "1001").Protected(all); err != nil {
		t.Error(err)
	}
}

func TestAVerdictIsChecked(t *testing.T) {
	for what, change := range map[string]func(v *Verdict){
		"is no verdict":  func(v *Verdict) { v.Kind = "great" },
		"name the":       func(v *Verdict) { v.Frames = frame.Set{} },
		"too long":       func(v *Verdict) { v.Note = strings.Repeat("a", MostNote+1) },
		"what the quest": func(v *Verdict) { v.Kind = Question },
		"lies outside":   func(v *Verdict) { v.Marks = Marks{{{64, 0}}} },
		"none of those":  func(v *Verdict) { v.Marks, v.Marked = Marks{{{1, 1}}}, 1009 },
		"without a":      func(v *Verdict) { v.Marks = Marks{{}} },
		"strokes":        func(v *Verdict) { v.Marks = Marks{make([]Point, MostPoints+1)} },
	} {
		v := given(1, Retake, "1001-1003")
		v.Marked = 1001
		change(&v)
		if err := v.Check(64, 32); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", what, err)
		}
	}
	v := given(1, Retake, "1001-1003")
	v.Marked, v.Marks = 1002, Marks{{{0, 0}, {63, 31}}, {{5, 6}}}
	if err := v.Check(64, 32); err != nil {
		t.Error(err)
	}
	if lines := v.Marks.Lines(); len(lines) != 2 || lines[0] != "0,0 63,31" || lines[1] != "5,6 6,6" {
		t.Errorf("%q", lines)
	}
}

func TestKindsAreRead(t *testing.T) {
	for _, k := range Kinds() {
		if got, err := ParseKind(" " + strings.ToUpper(string(k))); err != nil || got != k {
			t.Errorf("%s: %s, %v", k, got, err)
		}
	}
	if _, err := ParseKind("again"); err == nil {
		t.Error("a word that is none was read")
	}
}

func seen() []Seen {
	marked := given(1, Retake, "1003-1004,1010")
	marked.Note, marked.Marked, marked.Marks = "=1+1, too bright", 1003, Marks{{{1, 2}}}
	back := given(3, Question, "1001")
	back.Taken, back.TakenBy = back.Given, "Bo"
	return []Seen{
		{
			Production: "SALT", Shot: "020", View: "quay", Size: "hd", Version: 2, Batch: 7, Sequence: 3,
			Frames: frame.MustParse("1001-1010"), First: "SALT/020/020_quay.1001.exr",
			Clock: frame.Clock{
				Count: frame.Count{Rate: frame.Rate{Numerator: 24, Denominator: 1}}, First: 1001,
			},
			Verdicts: []Verdict{marked, given(2, Approved, "1005-1006"), back},
		},
		{Production: "SALT", Shot: "010", View: "quay", Size: "hd", Version: 1, Sequence: 1},
	}
}

func TestVerdictsAreWrittenAsATable(t *testing.T) {
	var b bytes.Buffer
	all := seen()
	InOrder(all)
	if all[0].Shot != "010" {
		t.Error("shots are not in order")
	}
	if err := WriteCSV(&b, all); err != nil {
		t.Fatal(err)
	}
	lines, err := csv.NewReader(&b).ReadAll() // which reads RFC 4180
	if err != nil || len(lines) != 4 {
		t.Fatalf("%d lines, %v", len(lines), err)
	}
	want := []string{
		"SALT", "020", "quay", "hd", "2", "7", "1003-1004,1010", "3", "", "retake", "'=1+1, too bright", "1003",
		"Ann", "2026-11-29T08:01:00Z", "", "", "",
	}
	for i, cell := range want {
		if i != 8 && lines[1][i] != cell {
			t.Errorf("%s: %q instead of %q", lines[0][i], lines[1][i], cell)
		}
	}
	if lines[3][14] != "Bo" || lines[3][15] == "" {
		t.Errorf("what was taken back: %q", lines[3])
	}
}

func TestVerdictsAreWrittenAsMarkers(t *testing.T) {
	var b bytes.Buffer
	if err := WriteOTIO(&b, "Ferry", seen()); err != nil {
		t.Fatal(err)
	}
	var timeline struct {
		Tracks struct {
			Children []struct {
				Children []struct {
					Name    string
					Markers []struct {
						Schema string `json:"OTIO_SCHEMA"`
						Name   string
						Color  string
						Range  struct {
							Start    struct{ Value int } `json:"start_time"`
							Duration struct{ Value int }
						} `json:"marked_range"`
					}
					Media struct {
						Prefix string `json:"name_prefix"`
						Suffix string `json:"name_suffix"`
						Base   string `json:"target_url_base"`
					} `json:"media_reference"`
				}
			}
		}
	}
	if err := json.Unmarshal(b.Bytes(), &timeline); err != nil {
		t.Fatal(err)
	}
	clips := timeline.Tracks.Children[0].Children
	if len(clips) != 1 || clips[0].Name != "020 quay hd v002" || len(clips[0].Markers) != 3 {
		t.Fatalf("%+v", clips)
	}
	m := clips[0].Markers[0]
	if m.Schema != "Marker.2" || m.Color != "RED" || m.Range.Start.Value != 1003 || m.Range.Duration.Value != 2 ||
		m.Name != "retake: =1+1, too bright" {
		t.Errorf("%+v", m)
	}
	if r := clips[0].Media; r.Base != "SALT/020/" || r.Prefix != "020_quay." || r.Suffix != ".exr" {
		t.Errorf("%+v", r)
	}
	clock := seen()[0].Clock
	reading, err := cut.ReadOTIO(&b, clock) // the same file is a cut
	if err != nil || reading.Cut.Length() != 10 {
		t.Errorf("as a cut: %d frames, %v", reading.Cut.Length(), err)
	}
}

func FuzzParseMarks(f *testing.F) {
	f.Add("[[[1,2],[3,4]]]")
	f.Add("")
	f.Add("[[]]")
	f.Add("[[[1,2,3]]]")
	f.Fuzz(func(t *testing.T, text string) {
		m, err := ParseMarks(text)
		if err != nil {
			return
		}
		again, err := ParseMarks(m.Text())
		if err != nil || again.Text() != m.Text() {
			t.Errorf("%q becomes %q: %v", m.Text(), again.Text(), err)
		}
	})
}
