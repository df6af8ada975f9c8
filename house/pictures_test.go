package house_test

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/edit"
	"reelhouse/core/frame"
	"reelhouse/core/grade"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/core/review"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// A grade is made of the sequences of a batch that kept what it needs; changed, it is made once more under a number,
// and as it is, it is not. What is named like the files that it would be made from is refused.
func TestGradesAreMadeOfWhatWasKept(t *testing.T) {
	h, b := housetest.New(t, "1001-1002", func(p *production.Production) {
		p.LightGroups = []pass.LightGroup{{Code: "sun", Sun: true}}
		p.PassLists = append(p.PassLists, production.PassList{
			Code: "lit", Name: "Lit", Depth: pass.UsualDepth(),
			Passes: []pass.Code{pass.Beauty, "light-sun", "light-other", pass.CryptoObject},
		})
		second := p.Shots[0]
		second.Code, second.PassList = "020", "lit"
		p.Shots = append(p.Shots, second)
		p.Mattes = []pass.Matte{{Code: "floor", Name: "Floor", Layer: pass.CryptoObject, Names: []string{"floor"}}}
		p.Grades = []grade.Grade{
			{Code: "night", Name: "Night", Lights: []grade.Gain{{Pass: "light-sun", Intensity: 0.1}}},
		}
	})
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	scope := store.Scope{Production: "TEST", Batch: b.ID}
	if n, err := h.MakePictures(p.Production, scope, work.Grade, "night", ""); err != nil || n != 1 {
		t.Errorf("of one of two sequences it is made %d times, %v", n, err)
	}
	if n, err := h.MakePictures(p.Production, scope, work.Grade, "night", ""); !errors.Is(err, store.ErrNothing) {
		t.Errorf("once more as it is: %d, %v", n, err)
	}
	changed := p.Production
	changed.Grades = []grade.Grade{{Code: "night", Lights: []grade.Gain{{Pass: "light-sun", Intensity: 0.2}}}}
	if n, err := h.MakePictures(changed, scope, work.Grade, "night", ""); err != nil || n != 1 {
		t.Errorf("changed: %d, %v", n, err)
	}
	lacking := store.Scope{Production: "TEST", Sequence: b.Sequences[0].ID}
	if _, err := h.MakePictures(p.Production, lacking, work.Grade, "night", ""); err == nil ||
		!strings.Contains(err.Error(), "light-sun") {
		t.Errorf("without the light: %v", err)
	}
	if _, err := h.MakePictures(p.Production, scope, work.Matte, "floor", "tga"); err == nil ||
		!strings.Contains(err.Error(), "written as") {
		t.Errorf("as TGA: %v", err)
	}
	frame := 1001
	for says, scope := range map[string]store.Scope{
		"of a sequence": {Production: "TEST", Batch: b.ID, Frame: &frame},
		"not found":     {Production: "OTHER", Batch: b.ID},
	} {
		if _, err := h.MakePictures(p.Production, scope, work.Matte, "floor", "exr"); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	made, err := h.Record.PicturesMade("TEST")
	if err != nil || len(made) != 2 {
		t.Fatalf("%d were made, %v", len(made), err)
	}
	paths := map[string]bool{}
	for _, q := range made {
		for _, f := range q.Spec.Files {
			path := f.Path.Frame(1001)
			if !strings.Contains(path, "020") || paths[path] {
				t.Errorf("a file is called %s", path)
			}
			paths[path] = true
		}
	}
	if n, err := h.Inspect(store.Scope{Production: "TEST", Sequence: made[0].ID}); err != nil || n != 1 {
		t.Errorf("it is inspected %d times, %v", n, err)
	}
	if q, has, err := h.Record.FollowUpOf(made[0].ID, work.Inspection); err != nil || !has ||
		!strings.Contains(q.Spec.Files[0].Path.Frame(1001), "inspection-of-grade-night") {
		t.Errorf("its inspection: %v, %v", has, err)
	}
	// A batch takes it along where it can be made of any of it.
	wanted, err := h.WantedFollowUps(p.Production, []string{"grade name=night", "matte name=floor format=png"}, nil)
	if err != nil || len(wanted) != 2 || wanted[0].Kind != "grade-night" || wanted[1].Kind != "matte-floor" {
		t.Errorf("%v, %v", wanted, err)
	}
	for _, bad := range []string{"grade", "grade name=day", "matte name=night"} {
		if _, err := h.WantedFollowUps(p.Production, []string{bad}, nil); err == nil {
			t.Errorf("%q was taken", bad)
		}
	}
}

// A grade is handed on with what was rendered, what the layers are, and its corrections; what was decided on the
// rendered frames holds for it.
func TestAGradeIsHandedOn(t *testing.T) {
	h, b := housetest.New(t, "1001-1002", func(p *production.Production) {
		p.Shots[0].PassList = "minimum"
		step := grade.Step{CDL: grade.Neutral(), Exposure: -2}
		p.Grades = []grade.Grade{{Code: "night", Name: "Night", Steps: []grade.Step{step}}}
	})
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	scope := store.Scope{Production: "TEST", Batch: b.ID}
	if n, err := h.MakePictures(p.Production, scope, work.Grade, "night", ""); err != nil || n != 1 {
		t.Fatal(n, err)
	}
	housetest.FinishAll(t, h, 1000)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), Made: &[]string{"rendered", "grade-night"}, Layers: new(true),
		Approved: new(true),
	})
	if d := plannedDelivery(t, h); !d.Refused() {
		t.Fatal("nothing is approved, and it is not refused")
	}
	v := review.Verdict{Sequence: b.Sequences[0].ID, Kind: review.Approved, Frames: frame.MustParse("1001-1002")}
	if _, err := h.Record.Decide("TEST", v, store.Author{Name: "Ann"}); err != nil {
		t.Fatal(err)
	}
	d := plannedDelivery(t, h)
	if d.Refused() || len(d.Parts) != 2 || len(d.Files) != 4 {
		t.Fatalf("%d parts, %d files: %v", len(d.Parts), len(d.Files), d.Findings)
	}
	begun, err := h.BeginDelivery(d, "", store.Author{Name: "Bo"})
	if err != nil {
		t.Fatal(err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err != nil {
		t.Fatal(err)
	}
	if got := verified(t, begun.Folder); got != "[]" {
		t.Error(got)
	}
	for name, holds := range map[string]string{
		d.Parts[0].Along() + "/layers.txt": d.Files[0].To, d.Parts[1].Along() + "/layers.txt": d.Files[2].To,
		d.Parts[1].Along() + "/night.ccc": "SOPNode", "manifest.csv": ",grade-night,",
	} {
		text, err := os.ReadFile(filepath.Join(begun.Folder, name))
		if err != nil || !strings.Contains(string(text), holds) {
			t.Errorf("%s does not hold %s: %v\n%s", name, holds, err, text)
		}
	}
	if _, _, err := h.Do("TEST", house.Editing{}, edit.SetDelivery{
		Delivery: "edit", Made: &[]string{"grade-day"},
	}); err == nil || !strings.Contains(err.Error(), `no matte or grade "grade-day"`) {
		t.Errorf("a grade that is not there: %v", err)
	}
}

// Names that do not say the pass would be those of what the pictures are made from.
func TestPicturesAreNotNamedLikeWhatTheyAreMadeFrom(t *testing.T) {
	h, b := housetest.New(t, "1001", func(p *production.Production) {
		p.Names.Pattern = "(production)/(shot)/(output)/(size)/v(version:3)/(shot)_(view).(frame:4).(ext)"
		p.Shots[0].PassList = "minimum"
		step := grade.Step{CDL: grade.Neutral(), Exposure: 1}
		p.Grades = []grade.Grade{{Code: "bright", Name: "Bright", Steps: []grade.Step{step}}}
	})
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	_, err = h.MakePictures(p.Production, store.Scope{Production: "TEST", Batch: b.ID}, work.Grade, "bright", "")
	if err == nil || !strings.Contains(err.Error(), "put (pass) into its pattern") {
		t.Errorf("it is made under the same names: %v", err)
	}
}
