package delivery

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/contact"
	"reelhouse/core/frame"
	"reelhouse/core/grade"
	"reelhouse/core/mhl"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/review"
)

var film = frame.Rate{Numerator: 24, Denominator: 1}

// rendering returns a shot that was rendered, all of it good.
func rendering(id int64, shot, frames string, version int) Rendering {
	pattern := naming.MustParse("(shot)/v(version:3)/(shot)_(view).(frame:4).(ext)")
	set := frame.MustParse(frames)
	r := Rendering{
		ID: id, Batch: id, Name: "night", Frames: map[int]Rendered{},
		Plan: plan.Batch{
			Production: "TEST", Version: version, Rate: film,
			Quality: production.Quality{Code: "final", Deliverable: true},
		},
		Spec: plan.Sequence{Shot: shot, ShotName: "The " + shot, View: "quay", SizeCode: "hd", Frames: set, Own: set},
	}
	file := plan.FileSequence{Output: "master", Role: output.Master, Encoding: output.EXR.Usual()}
	file.Passes = []pass.Code{pass.Beauty}
	file.Path = r.Plan.Named(r.Spec, file, pattern)
	r.Spec.Files = []plan.FileSequence{file}
	for n := range set.All() {
		r.Frames[n] = Rendered{queue.Good, []RecordedFile{{file.Path.Frame(n), 10, fmt.Sprint(id, n)}}}
	}
	return r
}

func tested() production.Production {
	p := production.Production{Code: "TEST", Title: "Test", Standards: production.Standards{Rate: film}}
	for _, code := range []string{"010", "020"} {
		p.Shots = append(p.Shots, production.Shot{Code: code, Frames: frame.MustParse("1001-1004")})
	}
	return p
}

func planned(t *testing.T, recipe production.Delivery, all ...Rendering) Delivery {
	t.Helper()
	recipe.Code, recipe.Hash = "edit", mhl.XXH64
	d, err := Plan(tested(), recipe, all)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func names(d Delivery) string {
	var all []string
	for _, f := range d.Files {
		all = append(all, f.To)
	}
	return strings.Join(all, " ")
}

// The newest rendering of each shot that has frames of the kind is handed on, in the order of the shots, renamed and
// numbered as the recipe says.
func TestWhatIsHandedOn(t *testing.T) {
	old, newest := rendering(1, "010", "1001-1004", 1), rendering(3, "010", "1001-1004", 2)
	other := rendering(2, "020", "1001-1002", 1)
	trial := rendering(4, "010", "1001-1004", 3)
	trial.Plan.Trial = plan.FirstFrames
	all := []Rendering{trial, newest, other, old}
	if got := names(planned(t, production.Delivery{Shots: []string{"020"}}, all...)); got !=
		"020/v001/020_quay.1001.exr 020/v001/020_quay.1002.exr" {
		t.Error(got)
	}
	d := planned(t, production.Delivery{
		Pattern: "(shot)_(frame:2).(ext)", First: new(1), Shots: []string{"010", "020"},
	}, all...)
	if got := names(d); got != "010_01.exr 010_02.exr 010_03.exr 010_04.exr 020_01.exr 020_02.exr" ||
		d.Files[0].SHA256 != "3 1001" || d.Bytes() != 60 || d.Parts[0].Version != 2 {
		t.Errorf("%s: %+v", got, d)
	}
	handles := rendering(1, "010", "1001-1004", 1)
	handles.Spec.Own = frame.MustParse("1002-1003")
	if got := names(planned(t, production.Delivery{OwnFrames: true}, handles)); got !=
		"010/v001/010_quay.1002.exr 010/v001/010_quay.1003.exr" {
		t.Error(got)
	}
	newest.Verdicts = []review.Verdict{{Kind: review.Approved, Frames: frame.MustParse("1001-1004"), By: "Ann"}}
	d = planned(t, production.Delivery{Approved: true}, newest, other)
	if len(d.Parts) != 1 || !slices.Equal(d.Parts[0].ApprovedBy, []string{"Ann"}) || d.Refused() {
		t.Errorf("%+v", d)
	}
}

// made returns a grade or a matte of a rendering.
func made(r Rendering, id int64, f plan.FollowUp) Rendering {
	m := rendering(id, r.Spec.Shot, r.Spec.Frames.String(), r.Plan.Version)
	m.Batch, m.Spec.FollowUp = r.Batch, &f
	file := m.Spec.Files[0]
	file.Path = m.Plan.Named(m.Spec, file, naming.MustParse("(shot)/"+f.Kind+"/(shot)_(view).(frame:4).(ext)"))
	m.Spec.Files = []plan.FileSequence{file}
	for n := range m.Frames {
		m.Frames[n] = Rendered{queue.Good, []RecordedFile{{file.Path.Frame(n), 10, fmt.Sprint(id, n)}}}
	}
	return m
}

func TestGradesAndMattesAreHandedOn(t *testing.T) {
	first, second := rendering(1, "010", "1001-1004", 1), rendering(2, "020", "1001-1002", 1)
	night := grade.Frozen{Grade: grade.Grade{Code: "night"}}
	all := []Rendering{
		made(first, 5, plan.FollowUp{Kind: "grade-night-2", Grade: &night}),
		made(first, 4, plan.FollowUp{Kind: "matte-boat", Matte: &pass.Matte{Code: "boat"}}),
		made(first, 3, plan.FollowUp{Kind: "grade-night", Grade: &night}), second, first,
	}
	for _, c := range []struct {
		made  []string
		files string // shot and what is made, with the number of the rendering
		says  string
	}{
		{nil, "010 1, 020 2", ""},
		{[]string{"grade-night"}, "010 grade-night 5", ""},
		{
			[]string{"rendered", "matte-boat", "grade-night"}, "010 1, 010 grade-night 5, 010 matte-boat 4, 020 2",
			"no grade-night of it is good",
		},
		{[]string{"rendered", "grade-day"}, "010 1, 020 2", "nothing of grade-day is good"},
	} {
		d := planned(t, production.Delivery{Made: c.made, Contact: contact.Usual()}, all...)
		var parts []string
		for _, p := range d.Parts {
			parts = append(parts, strings.Join(strings.Fields(fmt.Sprint(p.Shot, " ", p.Made, " ", p.Rendering)), " "))
			if (p.Pictures != nil) != (p.Made == d.shown()) {
				t.Errorf("%v: sheets show %s: %v", c.made, p.Title(), p.Pictures != nil)
			}
		}
		if got := strings.Join(parts, ", "); got != c.files {
			t.Errorf("%v is %s, not %s", c.made, got, c.files)
		}
		if said := fmt.Sprint(d.Findings); !strings.Contains(said, c.says) || c.says == "" && d.Refused() {
			t.Errorf("%v: %s", c.made, said)
		}
	}
	along := production.Delivery{Layers: true, Pattern: "layers/(frame).(ext)"}
	if d := planned(t, along, second); !d.Refused() {
		t.Error("files lie where what the layers are goes along")
	}
}

func TestWhatIsWrongWithADelivery(t *testing.T) {
	for want, c := range map[string]struct {
		recipe  production.Delivery
		change  func(r *Rendering)
		refuses bool
	}{
		"nothing that is asked for is good": {production.Delivery{Sizes: []string{"tall"}}, nil, true},
		"nothing of this shot is good":      {production.Delivery{Shots: []string{"010", "030"}}, nil, true},
		"2 frames are not good: 1002-1003": {
			change: func(r *Rendering) {
				delete(r.Frames, 1002)
				r.Frames[1003] = Rendered{State: queue.Lost}
			}, refuses: true,
		},
		"1 frame is not approved: 1004": {
			production.Delivery{Approved: true}, func(r *Rendering) {
				r.Verdicts = []review.Verdict{{Kind: review.Approved, Frames: frame.MustParse("1001-1003")}}
			}, true,
		},
		"a retake was asked for of 1002": {
			change: func(r *Rendering) {
				r.Verdicts = []review.Verdict{{Kind: review.Retake, Frames: frame.MustParse("1002")}}
			}, refuses: true,
		},
		"it was rendered for 25 fps": {
			change: func(r *Rendering) { r.Plan.Rate = frame.Rate{Numerator: 25, Denominator: 1} }, refuses: true,
		},
		"would both be called 010.1001.exr": {
			production.Delivery{Pattern: "(shot).(frame).(ext)"}, func(r *Rendering) {
				r.Spec.Files = append(r.Spec.Files, r.Spec.Files[0])
			}, true,
		},
		"it has no files":            {recipe: production.Delivery{Outputs: []string{"review"}}, refuses: true},
		"is kept for what proves it": {recipe: production.Delivery{Pattern: "ascmhl/(frame).(ext)"}, refuses: true},
		"the shot has 1001-1004 now": {
			change: func(r *Rendering) { r.Spec.Own = frame.MustParse("1001-1003") },
		},
		"which is no final quality": {change: func(r *Rendering) { r.Plan.Quality.Deliverable = false }},
		"is a master, and loses something": {
			change: func(r *Rendering) { r.Spec.Files[0].Encoding = output.JPEG.Usual() },
		},
		"the production has no such shot any more": {change: func(r *Rendering) { r.Spec.Shot = "099" }},
	} {
		r := rendering(1, "010", "1001-1004", 1)
		if c.change != nil {
			c.change(&r)
		}
		d := planned(t, c.recipe, r)
		found := slices.ContainsFunc(d.Findings, func(f Finding) bool {
			return strings.Contains(f.Text, want) && f.Refuses == c.refuses
		})
		if !found || d.Refused() != c.refuses {
			t.Errorf("%s: %+v", want, d.Findings)
		}
	}
	d := planned(t, production.Delivery{}, rendering(1, "010", "1001-1004", 1), rendering(2, "020", "1001-1004", 2))
	if len(d.Findings) != 1 || d.Findings[0].Text != "it mixes versions: v001, v002" || d.Refused() {
		t.Errorf("%+v", d.Findings)
	}
}

func TestChangesBetweenDeliveries(t *testing.T) {
	before := []File{{To: "a", SHA256: "1"}, {To: "b", SHA256: "2"}, {To: "c", SHA256: "3"}}
	now := []File{{To: "b", SHA256: "2"}, {To: "c", SHA256: "4"}, {To: "d", SHA256: "5"}}
	c := Compare(before, now)
	if fmt.Sprint(c.Added, c.Changed, c.Gone, c.Same) != "[d] [c] [a] 1" {
		t.Errorf("%+v", c)
	}
	if d := (Delivery{Files: now}).Only([]string{"d"}); len(d.Files) != 1 || d.Files[0].To != "d" {
		t.Errorf("%+v", d.Files)
	}
}

// BenchmarkPlan plans 10 000 files.
func BenchmarkPlan(b *testing.B) {
	r := rendering(1, "010", "1-10000", 1)
	p := tested()
	for b.Loop() {
		d, err := Plan(p, production.Delivery{Pattern: "(shot)/(shot).(frame:5).(ext)"}, []Rendering{r})
		if err != nil || len(d.Files) != 10000 {
			b.Fatal(len(d.Files), err)
		}
	}
	b.ReportMetric(10000*float64(b.N)/b.Elapsed().Seconds(), "files/s")
}
