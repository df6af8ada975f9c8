package stamp

import (
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/naming"
	"reelhouse/core/pixel"
)

func grey() *pixel.Image {
	img := pixel.New(320, 180, "R", "G", "B", "A")
	for _, p := range img.Planes {
		for i := range p.Data {
			p.Data[i] = 0.5
		}
	}
	return img
}

func TestLinesAreDrawnAtTheirPlaces(t *testing.T) {
	for _, place := range Places() {
		img := grey()
		s := Stamp{On: true, Percent: 16, Opacity: 1, Lines: []Line{{place, "SALT 010"}}}
		if err := s.Draw(img, 1); err != nil {
			t.Fatal(err)
		}
		var sumX, sumY, n, white int
		for i, v := range img.Planes[0].Data {
			if v != 0.5 {
				sumX, sumY, n = sumX+i%320, sumY+i/320, n+1
			}
			if v > 0.95 {
				white++
			}
		}
		if n == 0 || white < 30 {
			t.Fatalf("%s: %d pixels changed, %d are letters", place, n, white)
		}
		x, y := float64(sumX)/float64(n)/320, float64(sumY)/float64(n)/180
		third := []string{"left", "middle", "right"}[int(x*3)]
		half := []string{"top", "bottom"}[int(y*2)]
		if string(place) != half+"-"+third {
			t.Errorf("%s was drawn at the %s-%s", place, half, third)
		}
		if img.Planes[0].Data[90*320+160] != 0.5 || img.Planes[3].Data[90*320+160] != 0.5 {
			t.Errorf("%s: the middle of the picture was touched", place)
		}
	}
}

func TestALongLineStaysInThePicture(t *testing.T) {
	img := grey()
	s := Stamp{On: true, Percent: 8, Opacity: 0.5, Lines: []Line{{BottomLeft, strings.Repeat("very long ", 15)}}}
	if err := s.Draw(img, 1); err != nil {
		t.Fatal(err)
	}
	for y := range 180 {
		if img.Planes[0].Data[y*320+319] != 0.5 {
			t.Fatalf("line %d is drawn to the edge", y)
		}
	}
	wide := grey()
	if err := (Stamp{On: true, Percent: 8, Opacity: 1, Lines: []Line{{BottomLeft, "abc"}}}).Draw(wide, 2); err != nil {
		t.Fatal(err)
	}
	changed := func(img *pixel.Image) (n int) {
		for _, v := range img.Planes[0].Data {
			if v != 0.5 {
				n++
			}
		}
		return n
	}
	square := grey()
	if err := (Stamp{On: true, Percent: 8, Opacity: 1, Lines: []Line{{BottomLeft, "abc"}}}).Draw(square,
		1); err != nil {
		t.Fatal(err)
	}
	if a, b := changed(wide), changed(square); a*10 < b*4 || a*10 > b*6 {
		t.Errorf("on pixels twice as wide the band has %d pixels of %d", a, b)
	}
}

func TestFieldsAreFilledAndKept(t *testing.T) {
	s, err := Usual().Fill(7, 3, func(field string) string {
		if field == "lens" {
			return "(lens)"
		}
		return strings.ToUpper(field)
	})
	if err != nil || s.Line(TopRight) != "v003  QUALITY" || s.Line(BottomLeft) != "VIEW  (lens)" ||
		s.Line(BottomMiddle) != "0007" {
		t.Errorf("%+v, %v", s, err)
	}
	if !Usual().Has("timecode") || Usual().Has("note") {
		t.Error("the usual stamp has other fields")
	}
}

func TestEveryFieldOfATextHasItsFact(t *testing.T) {
	f := Facts{
		Fields: naming.Fields{
			Production: "a",
			Shot:       "c",
			View:       "e",
			Look:       "f",
			Size:       "g",
			Output:     "h",
			Pass:       "i",
			Quality:    "j",
			Sequence:   "o",
			Camera:     "p",
			Angle:      45,
		},
		Title: "b", ShotName: "d", Timecode: "k", Lens: "l", Note: "m", Label: "n", Seconds: 1.5,
		Sent: time.Date(2026, 11, 5, 0, 0, 0, 0, time.UTC),
	}
	seen := map[string]string{}
	for _, field := range naming.TextFields() {
		if field == "frame" || field == "version" || field == "value" {
			continue // padded by Fill, or with a key
		}
		v := f.Value(field)
		if other, twice := seen[v]; twice || v == "" || v == "("+RenderTime+")" && field != RenderTime {
			t.Errorf("(%s) says %q, as (%s) does", field, v, other)
		}
		seen[v] = field
	}
	if f.Value("date") != "2026-11-05" || f.Value("seconds") != "1.500 s" {
		t.Errorf("%s, %s", f.Value("date"), f.Value("seconds"))
	}
	if f.Took = 2500 * time.Millisecond; f.Value(RenderTime) != "2.5 s" {
		t.Errorf("render time is %s", f.Value(RenderTime))
	}
	timed := Stamp{Lines: []Line{{TopLeft, "took (" + RenderTime + ")"}}}.Timed(3 * time.Second)
	if timed.Line(TopLeft) != "took 3.0 s" {
		t.Errorf("filled by the renderer: %s", timed.Line(TopLeft))
	}
}

func TestStampsAreEditedByPlace(t *testing.T) {
	s := Usual().With(TopLeft, "").With(TopMiddle, "(note)").With(BottomRight, "(date)")
	var places []Place
	for _, l := range s.Lines {
		places = append(places, l.Place)
	}
	if !slices.Equal(places, []Place{TopMiddle, TopRight, BottomLeft, BottomMiddle, BottomRight}) ||
		s.Line(BottomRight) != "(date)" {
		t.Errorf("%+v", s)
	}
	if Usual().Line(TopLeft) == "" {
		t.Error("the original was changed")
	}
}

func TestBadStampsAreRefused(t *testing.T) {
	for says, s := range map[string]Stamp{
		"height":       {On: true, Percent: 50, Opacity: 1},
		"opacity":      {On: true, Percent: 5, Opacity: 2},
		"two lines":    {On: true, Percent: 5, Opacity: 1, Lines: []Line{{TopLeft, "a"}, {TopLeft, "b"}}},
		"no field":     {On: true, Percent: 5, Opacity: 1, Lines: []Line{{TopLeft, "(nope)"}}},
		"longer than":  {On: true, Percent: 5, Opacity: 1, Lines: []Line{{TopLeft, strings.Repeat("x", 300)}}},
		"is unknown, ": {On: true, Percent: 5, Opacity: 1, Lines: []Line{{"x", "b"}}},
	} {
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	if err := Usual().Check(); err != nil {
		t.Error(err)
	}
	if (Stamp{}).Check() != nil {
		t.Error("no stamp is a mistake")
	}
	if err := Usual().Draw(pixel.New(4, 4, "Z"), 1); err == nil {
		t.Error("numbers were stamped")
	}
}

func BenchmarkDrawHD(b *testing.B) {
	img := pixel.New(1920, 1080, "R", "G", "B", "A")
	for b.Loop() {
		if err := Usual().Draw(img, 1); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "frames/s")
}
