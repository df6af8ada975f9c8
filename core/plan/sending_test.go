package plan

import (
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/lut"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

func TestAShotGivesASequenceForEachViewAndSize(t *testing.T) {
	p := example()
	for _, code := range []string{"turn_1", "turn_2"} {
		p.Views = append(p.Views, production.View{Code: code, Camera: "cam_turn", Look: "plain", Rig: "turn"})
	}
	night := look.Plain()
	night.Code = "night"
	p.Looks = append(p.Looks, night)
	s := &p.Shots[0]
	s.Also, s.Look, s.Quality, s.Without, s.Step = []string{"turn"}, "night", "final", []production.Cell{
		{View: "turn_2", Size: "hd"},
	}, 3
	s.Labels = []production.Label{{Frame: 1001, Name: "bow-on"}}
	p.Names.Pattern = "(shot)/(view)/(size)/(pass)_(label).(frame:4).(ext)"
	b := build(t, p, Measure{})
	var got []string
	for _, q := range b.Sequences[:5] {
		got = append(got, q.View+" "+q.SizeCode)
		if q.Look.Code != "night" || b.QualityOf(q).Code != "final" || q.Size != q.FullSize ||
			q.Frames.String() != "1001-1043x6" {
			t.Errorf(
				"%s: look %s, quality %s, %v, frames %s",
				q.Title(),
				q.Look.Code,
				b.QualityOf(q).Code,
				q.Size,
				q.Frames,
			)
		}
	}
	if want := []string{"quay scope", "quay hd", "turn_1 scope", "turn_1 hd", "turn_2 scope"}; !slices.Equal(
		got, want,
	) {
		t.Errorf("sequences are %v", got)
	}
	if b.QualityOf(b.Sequences[5]).Code != "draft" {
		t.Error("another shot has its quality, too")
	}
	// The names of frames are in the paths again when the frozen batch is read.
	data, err := json.Marshal(b)
	if err != nil {
		t.Fatal(err)
	}
	var read Batch
	if err := json.Unmarshal(data, &read); err != nil {
		t.Fatal(err)
	}
	if got := read.Sequences[0].Files[0].Path.Frame(1001); got != "010/quay/scope/all_bow-on.1001.exr" ||
		read.Sequences[0].Label(1001) != "bow-on" {
		t.Errorf("the path is %s", got)
	}
}

func TestTrialsAreAFewFramesInAFolderOfTheirOwn(t *testing.T) {
	b := build(t, example(), Measure{})
	for trial, want := range map[Trial]string{FirstFrames: "1001", EveryTenth: "1001-1041x20", Ends: "1001,1025,1047"} {
		tried := b.Try(trial, 7)
		if s := tried.Sequences[0]; s.Frames.String() != want ||
			s.Files[0].Path.Frame(1001) != "trials/"+string(trial)+"_007/"+b.Sequences[0].Files[0].Path.Frame(1001) {
			t.Errorf("%s: %s, %s", trial, s.Frames, s.Files[0].Path)
		}
		if len(tried.Prove().Clashes) > 0 {
			t.Errorf("%s: its names clash", trial)
		}
	}
	if b.Sequences[0].Frames.Count() != 24 || strings.HasPrefix(b.Sequences[0].Files[0].Path.String(), "trials") {
		t.Error("a trial has changed the batch")
	}
}

func TestNewsOfWhatWasSentBefore(t *testing.T) {
	b := build(t, example(), Measure{})
	renderer := fingerprint.Renderer{Name: "r"}
	before := Earlier{
		ID:     1,
		Name:   "first",
		Print:  b.Fingerprint(b.Sequences[0], renderer),
		Good:   frame.MustParse("1001-1009x2"),
		Coming: frame.MustParse("1011-1013x2"),
	}
	sent := func(e Earlier) func(string) []Earlier {
		return func(key string) []Earlier {
			if key == b.Sequences[0].Files[0].Path.Key() {
				return []Earlier{e}
			}
			return nil
		}
	}
	n := b.Against(by(renderer), sent(before))
	if n[0].Good.Count() != 5 || n[0].Coming.Count() != 2 || n[0].New.String() != "1015-1047x2" || n[0].Other != "" ||
		n[1].Known() ||
		!n[1].New.Equal(b.Sequences[1].Frames) {
		t.Errorf("the same set-up: %+v", n)
	}
	left := b.Without(n)
	if len(left.Sequences) != 3 || left.Sequences[0].Frames.Count() != 17 {
		t.Errorf("left are %d sequences, the first with %s", len(left.Sequences), left.Sequences[0].Frames)
	}
	other := before
	spoilt := b.Sequences[0]
	spoilt.Look.ExposureEV = 2
	other.Print = b.Fingerprint(spoilt, renderer)
	if n := b.Against(by(renderer), sent(other)); n[0].Changed.Count() != 7 || n[0].Other == "" {
		t.Errorf("another look: %+v", n[0])
	}
	other = before
	other.Print = ""
	if n := b.Against(by(renderer), sent(other)); n[0].Unknown.Count() != 7 || n[0].Other != "" ||
		n[0].New.Count() != 17 {
		t.Errorf("a set-up that is not known: %+v", n[0])
	}
	other = before
	other.Labels = []production.Label{{Frame: 1003, Name: "lamp-lit"}}
	if n := b.Against(by(renderer), sent(other)); n[0].Changed.String() != "1003" || n[0].Good.Count() != 4 {
		t.Errorf("a frame with another name: %+v", n[0])
	}
	failed := before
	failed.Good, failed.Coming = frame.Set{}, frame.Set{}
	if n := b.Against(by(renderer), sent(failed)); n[0].Known() {
		t.Errorf("nothing of it was made: %+v", n[0])
	}
	all := before
	all.Good = b.Sequences[0].Frames
	if left := b.Without(b.Against(by(renderer), sent(all))); len(left.Sequences) != 2 {
		t.Errorf("of a sequence that is complete something is left: %d", len(left.Sequences))
	}
}

func TestEveryOrderHasEveryFrameOnce(t *testing.T) {
	set := frame.MustParse("1-40,50-60x3")
	for _, o := range Orders() {
		var frames []int
		wave := 0
		for _, turn := range o.Turns(set) {
			frames = append(frames, turn.Frame)
			if turn.Wave < wave || turn.Wave > wave+1 {
				t.Errorf("%s: wave %d after %d", o.Name(), turn.Wave, wave)
			}
			wave = turn.Wave
		}
		slices.Sort(frames)
		if !slices.Equal(frames, slices.Collect(set.All())) {
			t.Errorf("%s has %v", o.Name(), frames)
		}
		if (o == InOrder) != (wave == 0) {
			t.Errorf("%s has %d waves", o.Name(), wave+1)
		}
	}
}

func TestForecastsRestOnWhatViewsHaveTaken(t *testing.T) {
	p := example()
	m := Measure{
		Frames:               20,
		SecondsPerMegasample: 4,
		BytesPerModelled:     1,
		Least:                2,
		Most:                 9,
		Views:                map[string]Rate{"quay": {Frames: 8, Mean: 3, Least: 2, Most: 5}},
	}
	own := build(t, p, m).Totals()
	if math.Abs(own.Least/own.Seconds-2.0/3) > 1e-9 || math.Abs(own.Most/own.Seconds-5.0/3) > 1e-9 ||
		m.Basis("quay") != "8 measured frames of this view" {
		t.Errorf("a view that was measured: %+v", own)
	}
	m.Views = nil
	others := build(t, p, m).Totals()
	if math.Abs(others.Seconds/own.Seconds-4.0/3) > 1e-9 || math.Abs(others.Most/others.Least-9.0/2) > 1e-9 ||
		m.Basis("quay") != "20 measured frames of other views" {
		t.Errorf("other views: %+v", others)
	}
	if guess := build(t, p, Measure{}).Totals(); math.Abs(guess.Most/guess.Least-guessedRange*guessedRange) > 1e-9 {
		t.Errorf("a guess: %+v", guess)
	}
	p.Region = raster.Part{Right: 50, Bottom: 50}
	if part := build(t, p, m).Totals(); math.Abs(part.Seconds/others.Seconds-0.25) > 0.01 ||
		math.Abs(part.Bytes/others.Bytes-0.25) > 0.01 {
		t.Errorf("a quarter of the picture: %+v of %+v", part, others)
	}
}

// What decides nothing of a frame's files is no other set-up; what does, is one.
func TestWhatCountsAsAnotherSetUp(t *testing.T) {
	of := func(change func(p *production.Production)) fingerprint.Print {
		p := example()
		p.Environments = []production.EnvironmentFile{{Code: "sky", Name: "sky.exr", SHA256: "e0"}}
		p.Looks[0].Environment.Map = "sky"
		change(&p)
		b := build(t, p, Measure{})
		return b.Fingerprint(b.Sequences[0], fingerprint.Renderer{})
	}
	usual := of(func(*production.Production) {})
	for name, c := range map[string]struct {
		counts bool
		change func(p *production.Production)
	}{
		"content of an environment": {true, func(p *production.Production) { p.Environments[0].SHA256 = "e1" }},
		"content of the scene":      {true, func(p *production.Production) { p.Scene.SHA256 = "01" }},
		"rate":                      {true, func(p *production.Production) { p.Rate.Numerator = 25 }},
		"version":                   {true, func(p *production.Production) { p.Version = 2 }},
		"first timecode":            {true, func(p *production.Production) { p.FirstTimecode = "10:00:00:00" }},
		"name of the scene file":    {false, func(p *production.Production) { p.Scene.Name = "other.glb" }},
		"where it came from":        {false, func(p *production.Production) { p.Scene.Before = "ff" }},
		"name of the environment":   {false, func(p *production.Production) { p.Environments[0].Name = "other.exr" }},
		"delivery minimum":          {false, func(p *production.Production) { p.Floor.Width = 4096 }},
		"note of a shot":            {false, func(p *production.Production) { p.Shots[0].Note = "warmer" }},
		"title":                     {false, func(p *production.Production) { p.Title = "Other" }},
		"memory":                    {false, func(p *production.Production) { p.Qualities[0].Memory = 8 }},
		"a stamp that shows a note": {true, func(p *production.Production) {
			p.Outputs[1].Stamp = stamp.Usual().With(stamp.TopMiddle, "(note)")
			p.Shots[0].Outputs = []string{"review"}
		}},
		"a viewing transform": {false, func(p *production.Production) { p.Picture.Viewing = pixel.ViewSoft }},
		"a look-up table": {false, func(p *production.Production) {
			p.LUTs = []production.LUTFile{{Code: "show", SHA256: "a0", Input: lut.Input{Curve: lut.SRGB}}}
			p.Picture.Viewing = "lut:show"
		}},
		"primaries of light":         {true, func(p *production.Production) { p.Picture.Primaries = pixel.ACEScg }},
		"the primaries that are had": {false, func(p *production.Production) { p.Picture.Primaries = pixel.BT709 }},
	} {
		if got := of(c.change); (got != usual) != c.counts {
			t.Errorf("%s: counts %v", name, got != usual)
		}
	}
}

// Of an output that goes through the viewing transform, what that does counts, and not what it is called.
func TestAViewedOutputIsOfItsTransform(t *testing.T) {
	of := func(viewing pixel.Viewing, code, sum string, curve lut.Curve) fingerprint.Print {
		p := example()
		p.Outputs[1].Viewed, p.Picture.Viewing = true, viewing
		p.LUTs = []production.LUTFile{{Code: code, SHA256: sum, Input: lut.Input{Curve: curve}}}
		p.Shots[0].Outputs = []string{"review"}
		b := build(t, p, Measure{})
		return b.Fingerprint(b.Sequences[0], fingerprint.Renderer{})
	}
	usual := of("lut:show", "show", "a0", lut.SRGB)
	if usual != of("lut:night", "night", "a0", lut.SRGB) {
		t.Error("the name of a table counts")
	}
	for name, other := range map[string]fingerprint.Print{
		"another file":      of("lut:show", "show", "a1", lut.SRGB),
		"another input":     of("lut:show", "show", "a0", lut.ACEScct),
		"none":              of("", "show", "a0", lut.SRGB),
		"another transform": of(pixel.ViewSoft, "show", "a0", lut.SRGB),
	} {
		if other == usual {
			t.Errorf("%s does not count", name)
		}
	}
	if of(pixel.ViewSoft, "show", "a0", lut.SRGB) != of(pixel.ViewSoft, "show", "a1", lut.SRGB) {
		t.Error("a table counts that nothing goes through")
	}
}

// BenchmarkFingerprint is what each sequence of a draft costs beside its planning.
func BenchmarkFingerprint(b *testing.B) {
	batch := build(b, example(), Measure{})
	b.ReportAllocs()
	n := 0
	for b.Loop() {
		for _, s := range batch.Sequences {
			if !batch.Fingerprint(s, fingerprint.Renderer{Name: "r"}).Known() {
				b.Fatal("there is none")
			}
			n++
		}
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "sequences/s")
}

// by lets one renderer render all.
func by(r fingerprint.Renderer) func(int) fingerprint.Renderer {
	return func(int) fingerprint.Renderer { return r }
}
