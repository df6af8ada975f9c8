package preset

import (
	"bytes"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/output"
	"reelhouse/core/production"
)

func written(t testing.TB, p Preset) string {
	t.Helper()
	var b bytes.Buffer
	if err := p.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	for _, want := range []Preset{OfStandards("Feature & more", production.New("A", "a")),
		OfOutput("Small", output.Usual()[2])} {
		got, err := Read(strings.NewReader(written(t, want)))
		if err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%v\n%+v\n%+v", err, got, want)
		}
	}
}

// The documented example file stays readable: it is what others have on their disks.
func TestTheDocumentedFileIsRead(t *testing.T) {
	data, err := os.ReadFile(filepath.Join("testdata", "standards.json"))
	if err != nil {
		t.Fatal(err)
	}
	p, err := Read(bytes.NewReader(data))
	if err != nil || p.Name != "Short film, scope and HD" || len(p.Standards.Sizes) != 2 ||
		p.Standards.Outputs[2].Scale.Divisor != 2 {
		t.Errorf("%+v, %v", p, err)
	}
}

func TestDamagedFilesAreRefusedWithTheirPlace(t *testing.T) {
	whole := written(t, OfStandards("a", production.New("A", "a")))
	for name, c := range map[string]struct{ text, says string }{
		"empty":         {"", "line 1"},
		"cut":           {whole[:len(whole)/2], "unexpected EOF"},
		"unknown field": {strings.Replace(whole, `"handles"`, `"handels"`, 1), `unknown field "handels"`},
		"wrong type":    {strings.Replace(whole, `"handles": 0`, `"handles": "many"`, 1), "line"},
		"two":           {whole + whole, "follows"},
		"format":        {strings.Replace(whole, "reelhouse-preset", "x", 1), "no preset of Reelhouse"},
		"version":       {strings.Replace(whole, `"version": 1`, `"version": 9`, 1), "version 9"},
		"kind":          {strings.Replace(whole, `"kind": "standards"`, `"kind": "output"`, 1), "nothing else"},
		"no kind":       {strings.Replace(whole, `"kind": "standards"`, `"kind": ""`, 1), "no preset of the kind"},
		"no name":       {strings.Replace(whole, `"name": "a"`, `"name": ""`, 1), "needs a name"},
		"problem":       {strings.Replace(whole, `"width": 2048`, `"width": 0`, 1), "size scope"},
		"pattern":       {strings.Replace(whole, "(production)/", "../", 1), "character 1"},
	} {
		if _, err := Read(strings.NewReader(c.text)); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want %q", name, err, c.says)
		}
	}
	if _, err := Read(strings.NewReader(strings.Repeat(" ", MaxFile+1))); err == nil ||
		!strings.Contains(err.Error(), "larger") {
		t.Errorf("a huge file: %v", err)
	}
}

func TestDifferencesAreShownAndPutBackOneByOne(t *testing.T) {
	p := production.New("A", "a")
	saved := OfStandards("mine", p)
	if err := saved.Recall(&p); err != nil {
		t.Fatal(err)
	}
	p.Sizes[0].Width, p.Handles, p.Outputs[0].Level = 1000, 8, 9
	changes, err := saved.Differences(p)
	if err != nil || len(changes) != 3 || p.Preset != "mine" {
		t.Fatalf("%v, %v", changes, err)
	}
	if saved.Standards.Sizes[0].Width != 2048 {
		t.Error("the preset was changed with the production")
	}
	if err := saved.PutBack(&p, []string{"sizes", "scope", "width"}); err != nil || p.Sizes[0].Width != 2048 ||
		p.Handles != 8 {
		t.Errorf("%+v, %v", p.Sizes[0], err)
	}
	if err := saved.PutBack(&p, []string{"sizes", "scope", "width"}); err == nil {
		t.Error("it was put back twice")
	}
	if err := saved.Recall(&p); err != nil {
		t.Fatal(err)
	}
	if changes, err := saved.Differences(p); err != nil || len(changes) != 0 {
		t.Errorf("%v, %v", changes, err)
	}
}

func TestAnOutputComesAndGoesAlone(t *testing.T) {
	from := output.Usual()[2]
	from.Level = 55
	saved := OfOutput("small", from)
	p := production.New("A", "a")
	if changes, err := saved.Differences(p); err != nil || len(changes) != 1 ||
		changes[0].Where() != "outputs › proxy › level" {
		t.Errorf("%v, %v", changes, err)
	}
	if err := saved.PutBack(&p, []string{"outputs", "proxy", "level"}); err != nil || p.Outputs[2].Level != 55 {
		t.Errorf("%v, %v", p.Outputs[2].Level, err)
	}
	p.Outputs = p.Outputs[:1]
	if err := saved.Recall(&p); err != nil || len(p.Outputs) != 2 || p.Outputs[1].Level != 55 {
		t.Errorf("%+v, %v", p.Outputs, err)
	}
}

func TestNamesArePrintable(t *testing.T) {
	for _, name := range []string{"", "  ", " a", "a\n", strings.Repeat("x", 81)} {
		if CheckName(name) == nil {
			t.Errorf("%q passed", name)
		}
	}
	if err := CheckName("Feature, scope & HD (2026)"); err != nil {
		t.Error(err)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(written(f, OfStandards("a", production.New("A", "a"))))
	f.Add(written(f, OfOutput("a", output.Usual()[1])))
	f.Fuzz(func(t *testing.T, text string) {
		p, err := Read(strings.NewReader(text))
		if err != nil {
			return
		}
		again, err := Read(strings.NewReader(written(t, p)))
		if err != nil || written(t, again) != written(t, p) {
			t.Fatalf("%v\n%+v\n%+v", err, p, again)
		}
	})
}

// A recipe is kept without its shots, travels as a file, and is recalled over the one of its code, or beside others.
func TestPresetsOfRecipes(t *testing.T) {
	p := production.New("TEST", "Test")
	recipe := production.Delivery{
		Code: "edit", Name: "To the edit", Shots: []string{"010"}, Hash: mhl.XXH64, Movie: movie.Usual(),
	}
	p.Deliveries = []production.Delivery{recipe}
	var b bytes.Buffer
	if err := OfDelivery("Edits", recipe).Write(&b); err != nil {
		t.Fatal(err)
	}
	read, err := Read(&b)
	if err != nil || read.Code() != "edit" || read.Delivery.Shots != nil || read.Delivery.Movie != movie.Usual() {
		t.Fatalf("%+v, %v", read, err)
	}
	if changes, err := read.Differences(p); err != nil || len(changes) != 0 {
		t.Errorf("%+v, %v", changes, err)
	}
	p.Deliveries[0].Movie.Codec = movie.FFV1
	changes, err := read.Differences(p)
	if err != nil || len(changes) != 1 {
		t.Fatalf("%+v, %v", changes, err)
	}
	if err := read.PutBack(&p, changes[0].Path); err != nil || p.Deliveries[0].Movie.Codec != movie.H264 {
		t.Errorf("%+v, %v", p.Deliveries, err)
	}
	p.Deliveries[0].Name = "other"
	if err := read.Recall(&p); err != nil || p.Deliveries[0].Name != "To the edit" || len(p.Deliveries[0].Shots) != 1 {
		t.Errorf("%+v, %v", p.Deliveries, err)
	}
	other := production.New("OTHER", "Other")
	if err := read.Recall(&other); err != nil || len(other.Deliveries) != 1 {
		t.Errorf("%+v, %v", other.Deliveries, err)
	}
	recipe.Rate = frame.Rate{Numerator: 100_000, Denominator: 1}
	if err := OfDelivery("Fast", recipe).Check(); err == nil || !strings.Contains(err.Error(), "480 fps") {
		t.Error(err)
	}
}
