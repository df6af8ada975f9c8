package job

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/frame"
)

func exampleFollowUp() FollowUp {
	return FollowUp{
		Version: Version, Kind: "checksums",
		About: About{
			Production: "SALT", Batch: 12, Shot: "010", View: "quay", Size: "scope", Version: 3,
			Rate: frame.Rate{Numerator: 24, Denominator: 1}, Frames: frame.MustParse("1001-1002"),
		},
		Inputs: []Input{{
			Frame: 1001, Name: "SALT/010.1001.exr", Path: "/files/SALT/010.1001.exr", Bytes: 3,
			SHA256: strings.Repeat("ab", 32),
		}},
		Outputs:    []Output{{Extension: "sha256", Path: "/files/follow-ups/12/scope.sha256"}},
		Parameters: map[string]string{"style": "plain"},
	}
}

func TestAFollowUpIsReadAsItWasWritten(t *testing.T) {
	want := exampleFollowUp()
	text, err := json.Marshal(want)
	if err != nil {
		t.Fatal(err)
	}
	got, err := ReadFollowUp(strings.NewReader(string(text)))
	if err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%+v, %v", got, err)
	}
}

func TestFollowUpsThatNobodyCanDo(t *testing.T) {
	for name, change := range map[string]func(f *FollowUp){
		"another version":    func(f *FollowUp) { f.Version++ },
		"no kind":            func(f *FollowUp) { f.Kind = "" },
		"no input":           func(f *FollowUp) { f.Inputs = nil },
		"no output":          func(f *FollowUp) { f.Outputs = nil },
		"an input's path":    func(f *FollowUp) { f.Inputs[0].Path = "" },
		"an input's sum":     func(f *FollowUp) { f.Inputs[0].SHA256 = "xyz" },
		"a sum cut short":    func(f *FollowUp) { f.Inputs[0].SHA256 = "abab" },
		"an output's path":   func(f *FollowUp) { f.Outputs[0].Path = "" },
		"a negative of size": func(f *FollowUp) { f.Inputs[0].Bytes = -1 },
	} {
		f := exampleFollowUp()
		change(&f)
		text, err := json.Marshal(f)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := ReadFollowUp(strings.NewReader(string(text))); err == nil {
			t.Errorf("%s is no mistake", name)
		}
	}
	if _, err := ReadFollowUp(strings.NewReader(`{"version":1,"kind":"x","inputz":[]}`)); err == nil {
		t.Error("a field that is not known is no mistake")
	}
}

func FuzzReadFollowUp(f *testing.F) {
	text, err := json.Marshal(exampleFollowUp())
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(text))
	f.Add(`{"version":1}`)
	f.Fuzz(func(t *testing.T, text string) {
		order, err := ReadFollowUp(strings.NewReader(text))
		if err == nil && (len(order.Inputs) == 0 || len(order.Outputs) == 0) {
			t.Errorf("%q is read as %+v", text, order)
		}
	})
}
