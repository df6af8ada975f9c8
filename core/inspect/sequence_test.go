package inspect

import (
	"bytes"
	"image"
	"io"
	"math"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// A planted fault is one that is put into frames of a scene.
type planted struct {
	name   string
	fault  Fault
	frames []int // from 0
	spoil  func(p painting, n int, img *pixel.Image) *pixel.Image
}

// light changes the planes of light.
func light(img *pixel.Image, change func(v float32, x, y int) float32) *pixel.Image {
	for c := range 3 {
		for i, v := range img.Planes[c].Data {
			img.Planes[c].Data[i] = change(v, i%img.Width, i/img.Width)
		}
	}
	return img
}

func exposed(stops float64) func(painting, int, *pixel.Image) *pixel.Image {
	return func(_ painting, _ int, img *pixel.Image) *pixel.Image {
		return light(img, func(v float32, _, _ int) float32 { return v * float32(math.Exp2(stops)) })
	}
}

func filled(x0, y0, x1, y1 int, value float32) func(painting, int, *pixel.Image) *pixel.Image {
	return func(_ painting, _ int, img *pixel.Image) *pixel.Image {
		return light(img, func(v float32, x, y int) float32 {
			if x >= x0 && x < x1 && y >= y0 && y < y1 {
				return value
			}
			return v
		})
	}
}

func one(channel, x, y int, value float32) func(painting, int, *pixel.Image) *pixel.Image {
	return func(_ painting, _ int, img *pixel.Image) *pixel.Image {
		img.Planes[channel].Data[y*img.Width+x] = value
		return img
	}
}

// blob is a speck that a filter has spread.
func blob(cx, cy int, value float64) func(painting, int, *pixel.Image) *pixel.Image {
	return func(_ painting, _ int, img *pixel.Image) *pixel.Image {
		return light(img, func(v float32, x, y int) float32 {
			d := math.Hypot(float64(x-cx), float64(y-cy))
			return v + float32(value*math.Exp(-d*d*1.5))
		})
	}
}

func withNoise(times float64) func(painting, int, *pixel.Image) *pixel.Image {
	return func(p painting, n int, _ *pixel.Image) *pixel.Image { return p.frame(n, times, 99) }
}

// other is another frame of the same scene.
func other(by int) func(painting, int, *pixel.Image) *pixel.Image {
	return func(p painting, n int, _ *pixel.Image) *pixel.Image { return p.frame(n+by, 1, 1) }
}

func mirrored(_ painting, _ int, img *pixel.Image) *pixel.Image {
	for c := range 3 {
		for y := range img.Height {
			slices.Reverse(img.Planes[c].Data[y*img.Width:][:img.Width])
		}
	}
	return img
}

// moved shows the picture elsewhere.
func moved(by int) func(painting, int, *pixel.Image) *pixel.Image {
	return func(_ painting, _ int, img *pixel.Image) *pixel.Image {
		was := img.Clone()
		for c := range 3 {
			for i := range img.Planes[c].Data {
				img.Planes[c].Data[i] = was.Planes[c].Data[i/img.Width*img.Width+(i+by)%img.Width]
			}
		}
		return img
	}
}

const nan = 0x7fc00000

// faults are planted one by one.
var faults = []planted{
	{"black", Black, []int{20}, filled(0, 0, testWidth, testHeight, 0)},
	{"three black", Black, []int{20, 21, 22}, filled(0, 0, testWidth, testHeight, 0)},
	{"black at the end", Black, []int{47}, filled(0, 0, testWidth, testHeight, 0)},
	{"grey", Empty, []int{12}, filled(0, 0, testWidth, testHeight, 0.18)},
	{"transparent", Empty, []int{12}, func(_ painting, _ int, img *pixel.Image) *pixel.Image {
		return pixel.New(img.Width, img.Height, "R", "G", "B", "A")
	}},
	{"not a number", NotFinite, []int{5}, one(1, 300, 135, math.Float32frombits(nan))},
	{"infinite", NotFinite, []int{5}, one(2, 0, 0, float32(math.Inf(1)))},
	{"alpha above 1", Alpha, []int{9}, one(3, 17, 17, 1.5)},
	{"alpha below 0", Alpha, []int{9}, one(3, 17, 17, -0.1)},
	{"negative", Negative, []int{30}, one(0, 200, 100, -0.5)},
	{"the frame before", Repeated, []int{25}, other(-1)},
	{"the frame after", Repeated, []int{25}, other(1)},
	{"half a stop brighter", Jump, []int{8}, exposed(0.5)},
	{"a stop darker", Jump, []int{40}, exposed(-1)},
	{"mirrored", Jump, []int{30}, mirrored},
	{"another frame", Jump, []int{10}, other(30)},
	{"moved aside", Jump, []int{11}, moved(40)},
	{"a light is out", Jump, []int{22}, func(_ painting, _ int, img *pixel.Image) *pixel.Image {
		return light(img, func(v float32, x, _ int) float32 {
			if x > 90 && x < 230 {
				return v / 4
			}
			return v
		})
	}},
	{"a strip", Band, []int{7}, filled(0, 60, testWidth, 80, 0)},
	{"a thin strip", Band, []int{33}, filled(0, 100, testWidth, 105, 0)},
	{"the lower end", Band, []int{0}, filled(0, 110, testWidth, testHeight, 0)},
	{"a grey strip", Band, []int{47}, filled(0, 20, testWidth, 40, 0.18)},
	{"a tile", Band, []int{35}, filled(64, 64, 128, 128, 0)},
	{"a tile at the border", Band, []int{18}, filled(256, 32, testWidth, 96, 0)},
	{"a speck", Firefly, []int{28}, one(0, 40, 30, 200)},
	{"a soft speck", Firefly, []int{38}, blob(70, 50, 120)},
	{"a speck at the end", Firefly, []int{47}, blob(170, 40, 150)},
	{"three times the noise", Noise, []int{19}, withNoise(3)},
	{"noise for a while", Noise, []int{31, 32, 33}, withNoise(2.5)},
	{"hardly any noise", Noise, []int{36}, withNoise(0.3)},
}

// plant puts a fault into a scene, of which the frames are measured, and returns what is found.
func (f planted) plant(t *testing.T, p painting, clean []measured, known map[[2]uint64]change) SequenceReport {
	t.Helper()
	s := NewSequence(Wanted{})
	s.frames, s.known = slices.Clone(clean), known
	for i := range s.frames {
		s.frames[i].own = slices.Clone(s.frames[i].own)
	}
	for _, n := range f.frames {
		s.frames[n] = painted(t, firstFrame+n, f.spoil(p, n, p.frame(n, 1, 1)))
	}
	return s.Report()
}

// In scenes that move, thirty faults are found by their names, each by itself, and fewer than one in a hundred clean
// frames is marked.
func TestPlantedFaultsAreFound(t *testing.T) {
	for _, p := range append(tuned, unseen...) {
		t.Run(p.name, func(t *testing.T) {
			if p.name != pier.name {
				skipRaced(t)
			}
			t.Parallel()
			clean, known := p.sequence(t, 1), map[[2]uint64]change{}
			s := NewSequence(Wanted{})
			s.frames, s.known = slices.Clone(clean), known
			for _, f := range s.Report().Findings {
				t.Errorf("a clean frame is marked: %+v", f)
			}
			marked := 0
			for _, f := range faults {
				r := f.plant(t, p, clean, known)
				missed, others := f.hold(r)
				if missed != slices.Contains(p.alike, f.name) {
					t.Errorf("%s: missed is %v; found is %v", f.name, missed, r.Findings)
				}
				marked += others
			}
			if all := testFrames * len(faults); marked > all/100 {
				t.Errorf("%d of %d clean frames are marked", marked, all)
			}
		})
	}
}

// skipRaced skips what one goroutine paints: the race detector makes it ten times slower, and finds nothing.
func skipRaced(t *testing.T) {
	t.Helper()
	if raced {
		t.Skip("one goroutine has no race")
	}
}

// hold reports whether the fault was missed, and how many frames were marked that nothing is wrong with. Of two frames
// that are the same nothing says which is the wrong one.
func (f planted) hold(r SequenceReport) (missed bool, others int) {
	is := func(g Finding) bool { return g.Fault == f.fault }
	for _, n := range f.frames {
		of := r.Of(firstFrame + n)
		if f.fault == Repeated {
			of = append(of, append(r.Of(firstFrame+n-1), r.Of(firstFrame+n+1)...)...)
		}
		missed = missed || !slices.ContainsFunc(of, is)
	}
	for _, g := range r.Findings {
		if !slices.Contains(f.frames, g.Frame-firstFrame) && !(f.fault == Repeated && is(g)) {
			others++
		}
	}
	return missed, others
}

// Numbers that are missing are told, and numbers that are too many.
func TestMissingAndExtraFrames(t *testing.T) {
	for _, c := range []struct{ there, want, missing, extra string }{
		{"1-5,7-9", "", "6", ""},
		{"1-9x2,13-21x2", "", "11", ""},
		{"1-9x2,6", "", "", "6"},
		{"-4--1,1-5", "", "0", ""},
		{"1-5", "1-6", "6", ""},
		{"1-5,9", "1-5", "", "9"},
		{"7", "", "", ""},
	} {
		s := NewSequence(Wanted{})
		if c.want != "" {
			s.want.Frames = frame.MustParse(c.want)
		}
		for n := range frame.MustParse(c.there).All() {
			s.frames = append(s.frames, measured{number: n, width: 2, height: 2, channels: []string{"Z"}})
		}
		var missing, extra []int
		for _, f := range s.Report().Findings {
			switch f.Fault {
			case Missing:
				missing = append(missing, f.Frame)
			case Extra:
				extra = append(extra, f.Frame)
			default:
				t.Errorf("%s: %+v", c.there, f)
			}
		}
		if got := frame.SetOf(missing).String(); got != c.missing {
			t.Errorf("of %s is missing %q, want %q", c.there, got, c.missing)
		}
		if got := frame.SetOf(extra).String(); got != c.extra {
			t.Errorf("of %s is too much %q, want %q", c.there, got, c.extra)
		}
	}
}

// flat is graphics without noise: a sky of which each line has one value, a bird that beats its wings, squares and a
// disc of one value that pass.
var flat = painting{name: "flat", light: func(x, y float64, frame int) (r, g, b float64) {
	t := float64(frame)
	r, g, b = 0.2+0.6*math.Floor(y*testHeight)/testHeight, 0.5, 0.7
	if up := 0.03 * math.Abs(math.Sin(t)); math.Abs(x-0.5-0.02*t) < 0.1 && math.Abs(y-0.3-up) < 0.01 {
		return 0, 0, 0
	}
	for i := range 3 {
		left := math.Mod(0.13*t+0.7*float64(i), 2.3)
		if top := 0.5 + 0.1*float64(i); x > left && x < left+0.35 && y > top && y < top+0.35 {
			return 0.1 * float64(i), 0.3, 0.6
		}
	}
	if disc(x, y, 1.2-0.03*t, 0.7, 0.2) > 0 {
		return 0.8, 0.2, 0.1
	}
	return r, g, b
}}

// What is made so on purpose is no fault.
func TestWhatIsNoFault(t *testing.T) {
	skipRaced(t)
	faded := pier
	faded.light = func(x, y float64, frame int) (r, g, b float64) {
		r, g, b = pier.light(x, y, frame)
		by := math.Pow(math.Sin(math.Pi*min(1, max(0, float64(frame-4)/40))), 2)
		return r * by, g * by, b * by
	}
	for name, frame := range map[string]func(n int) *pixel.Image{
		"a picture that stands still": func(int) *pixel.Image { return corridor.frame(3, 1, 1) },
		"only noise that moves": func(n int) *pixel.Image {
			return corridor.frame(3, 1, uint64(n))
		},
		"frames that are held for two": func(n int) *pixel.Image { return corridor.frame(n/2*2, 1, 1) },
		"flat graphics":                func(n int) *pixel.Image { return flat.frame(n, 0, 1) },
		"fades from black and to it":   func(n int) *pixel.Image { return faded.frame(n, 0.5, 1) },
		"data": func(n int) *pixel.Image {
			img := pixel.New(8, 8, "Z")
			img.Planes[0].Data[n] = -5
			return img
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := NewSequence(Wanted{})
			for n := range testFrames {
				s.frames = append(s.frames, unfiled(firstFrame+n, frame(n)))
			}
			for _, f := range s.Report().Findings {
				t.Errorf("%+v", f)
			}
		})
	}
}

// unfiled measures an image without a file.
func unfiled(number int, img *pixel.Image) measured {
	m := newMeter(number, img.Width, img.Height)
	m.lines(img, 0)
	m.finish()
	return m.measured
}

// A loop closes with a step like the others: not with a jump, and not with the first frame once more.
func TestLoops(t *testing.T) {
	skipRaced(t)
	turning := painting{light: func(x, y float64, frame int) (r, g, b float64) {
		turn := 2 * math.Pi * float64(frame) / 24
		x, y = x-testWidth/2.0/testHeight, y-0.5
		u, v := x*math.Cos(turn)-y*math.Sin(turn), x*math.Sin(turn)+y*math.Cos(turn)
		light := cloudy(4*u+9, 4*v+9, 5)
		return light, light, light
	}}
	for name, c := range map[string]struct {
		frames int
		text   string
	}{
		"closed": {24, ""}, "one too many": {25, "stands still for a frame"}, "too short": {17, "times as large"},
	} {
		for _, loop := range []bool{true, false} {
			s := NewSequence(Wanted{Loop: loop})
			for n := range c.frames {
				s.frames = append(s.frames, unfiled(n, turning.frame(n, 0, 1)))
			}
			found := s.Report().Findings
			if (c.text == "" || !loop) && len(found) > 0 || loop && c.text != "" && (len(found) != 1 ||
				found[0].Fault != Loop || !strings.Contains(found[0].Text, c.text)) {
				t.Errorf("%s, wanted as a loop %v: %+v", name, loop, found)
			}
		}
	}
}

// Files are read side by side, and what is found does not depend on in which order they come.
func TestFilesAreReadSideBySide(t *testing.T) {
	var files []SequenceFile
	contents := map[int][]byte{}
	for n := range 9 {
		var b bytes.Buffer
		img := flat.frame(n, 0, 1)
		if n == 5 {
			img = flat.frame(4, 0, 1)
		}
		if err := picture.Encode(&b, output.EXR.Usual(), img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
			t.Fatal(err)
		}
		contents[n] = b.Bytes()
		files = append(files, SequenceFile{Frame: n})
	}
	contents[7] = contents[7][:700]
	open := func(f SequenceFile) (Source, int64, error) {
		if f.Frame == 8 {
			return nil, 0, io.ErrUnexpectedEOF
		}
		return struct {
			io.ReaderAt
			io.Closer
		}{bytes.NewReader(contents[f.Frame]), io.NopCloser(nil)}, int64(len(contents[f.Frame])), nil
	}
	var first []Finding
	for _, workers := range []int{1, 4, 0} {
		s, done := NewSequence(Wanted{}), 0
		s.Read(files, workers, open, func(SequenceFile) { done++ })
		found := s.Report().Findings
		if first == nil {
			first = found
		}
		if done != len(files) || len(found) != 3 || found[0].Fault != Repeated || found[1].Frame != 7 ||
			found[2].Fault != Unreadable || !reflect.DeepEqual(found, first) {
			t.Errorf("%d workers, %d done: %+v", workers, done, found)
		}
	}
}

func TestUnlikeSizesAndChannelsAreTold(t *testing.T) {
	s := NewSequence(Wanted{})
	for n := range 6 {
		img := flat.frame(n, 0, 1)
		switch n {
		case 2:
			img = img.Crop(image.Rect(0, 0, 200, 100))
		case 4:
			img.Planes = img.Planes[:3]
		}
		s.frames = append(s.frames, unfiled(n, img))
	}
	got := s.Report().Findings
	if len(got) != 2 || got[0].Fault != WrongSize || got[0].Frame != 2 || got[1].Fault != Channels ||
		got[1].Frame != 4 ||
		got[0].Text != "it has 200 × 100 pixels, not 320 × 136" ||
		got[1].Text != "it has the channels B, G, R, not A, B, G, R" {
		t.Errorf("%+v", got)
	}
}

// BenchmarkInspect measures frames of 2048 × 858 pixels, half, four channels, as they are read from files, and holds
// them beside each other.
func BenchmarkInspect(b *testing.B) {
	img := pier.frame(3, 1, 1).Resize(2048, 858, pixel.BoxKernel, func(string) bool { return true })
	for i := range img.Planes {
		img.Planes[i].Half = true
	}
	var file bytes.Buffer
	if err := picture.Encode(&file, output.EXR.Usual(), img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
		b.Fatal(err)
	}
	files := make([]SequenceFile, 48)
	for n := range files {
		files[n].Frame = n
	}
	open := func(SequenceFile) (Source, int64, error) {
		return struct {
			io.ReaderAt
			io.Closer
		}{bytes.NewReader(file.Bytes()), io.NopCloser(nil)}, int64(file.Len()), nil
	}
	b.ReportAllocs()
	for b.Loop() {
		s := NewSequence(Wanted{})
		s.Read(files, runtime.GOMAXPROCS(0), open, func(SequenceFile) {})
		if s.Report().Frames.Count() != len(files) {
			b.Fatal("frames are missing")
		}
	}
	b.ReportMetric(float64(len(files)*b.N)/b.Elapsed().Seconds(), "frames/s")
}
