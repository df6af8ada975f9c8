package raster

import (
	"image"
	"math"
	"strings"
	"testing"
)

// Sizes of SMPTE ST 428-1 and ITU-R BT.709/BT.2020, A papers of ISO 216 (A3 at 300 ppi is 3508 x 4961), and
// the ratios that the trade calls them by (common practice where no standard is named).
func TestLibrarySizesHaveTheirRatio(t *testing.T) {
	ratios := map[string]float64{
		"flat": 1.85, "scope": 2.387, "full": 1.8963, "flat4k": 1.85, "scope4k": 2.387, "full4k": 1.8963,
		"hd": 1.7778, "uhd": 1.7778, "uhd8k": 1.7778, "r133": 1.3333, "r185": 1.85, "r235": 2.35, "r239": 2.391,
		"square": 1, "portrait": 0.8, "tall": 0.5625, "round2k": 2, "round4k": 2, "round8k": 2,
	}
	for _, shelf := range Library() {
		for _, n := range shelf.Sizes {
			want, known := ratios[n.Code]
			if shelf.Name == "Paper" {
				want, known = 1/math.Sqrt2, true // ISO 216, in whole millimetres
			}
			if !known || n.Source == "" {
				t.Errorf("%s has no ratio or source here", n.Code)
			}
			if math.Abs(n.Aspect()-want) > 0.0025 {
				t.Errorf("%s %v: ratio %.4f, want %.4f", n.Code, n.Size, n.Aspect(), want)
			}
			if err := n.Check(); err != nil {
				t.Errorf("%s: %v", n.Code, err)
			}
		}
	}
	if n, _ := Published("A3-300"); n.Size != (Size{3508, 4961}) {
		t.Errorf("A3 at 300 ppi is %v", n.Size)
	}
	if n, _ := Published("full4k"); n.Size != (Size{4096, 2160}) {
		t.Errorf("the 4K container is %v", n.Size)
	}
}

func TestReducedSizesRoundUpAndAreNeverZero(t *testing.T) {
	for _, c := range []struct{ got, want Size }{
		{Reduction{Divisor: 7}.Of(Size{1998, 1080}), Size{286, 155}},
		{Reduction{Percent: 25}.Of(Size{2048, 858}), Size{512, 215}},
		{Reduction{Percent: 1}.Of(Size{3, 3}), Size{1, 1}},
		{Reduction{Percent: 100}.Of(Size{1920, 1080}), Size{1920, 1080}},
		{Reduction{}.Of(Size{1920, 1080}), Size{1920, 1080}},
		{Named{Size: Size{2048, 858}, MultipleOf: 2}.Reduced(Reduction{Percent: 25}), Size{512, 216}},
		{Size{1080, 1920}.Within(240), Size{135, 240}},
		{Size{100, 50}.Within(240), Size{100, 50}},
		{Size{1999, 1}.Multiple(4), Size{2000, 4}},
		{Named{Size: Size{720, 576}, PixelAspect: 1.5}.Seen(), Size{1080, 576}},
	} {
		if c.got != c.want {
			t.Errorf("got %v, want %v", c.got, c.want)
		}
	}
	across, up := Reduction{Divisor: 7}.Scale(Size{1998, 1080})
	if math.Abs(across-286.0/1998) > 1e-12 || math.Abs(up-155.0/1080) > 1e-12 {
		t.Errorf("true scale %v, %v", across, up)
	}
}

func TestReductionsAreReadAndWritten(t *testing.T) {
	for text, want := range map[string]Reduction{"25": {Percent: 25}, "25 %": {Percent: 25}, "100%": {Percent: 100},
		"1/7": {Divisor: 7}, " 1 / 4 ": {Divisor: 4}} {
		got, err := ParseReduction(text)
		if err != nil || got != want {
			t.Errorf("%q: %v, %v", text, got, err)
		}
		if again, err := ParseReduction(got.String()); err != nil || again != got {
			t.Errorf("%v comes back as %v, %v", got, again, err)
		}
	}
	for _, text := range []string{"", "0", "101", "1/0", "2/3", "x", "-5", "1/-2"} {
		if got, err := ParseReduction(text); err == nil {
			t.Errorf("%q was read as %v", text, got)
		}
	}
}

const across, up = 0.8, 0.45 // a camera of 16:9

func TestACropStaysInsideTheCameraPicture(t *testing.T) {
	for _, s := range []Size{{2048, 858}, {1920, 1080}, {1080, 1080}, {1080, 1920}} {
		for _, anchor := range []float64{-1, 0, 0.5, 1} {
			w := Fit{Crop, anchor, -anchor}.Window(s, 1, across, up)
			if w.Left < -across-1e-12 || w.Right > across+1e-12 || w.Bottom < -up-1e-12 || w.Top > up+1e-12 {
				t.Errorf("%v at %v reaches outside: %+v", s, anchor, w)
			}
			if math.Abs(w.Width()/w.Height()-s.Aspect()) > 1e-9 {
				t.Errorf("%v: shape %v", s, w.Width()/w.Height())
			}
			if w.Width() < 2*across-1e-12 && w.Height() < 2*up-1e-12 {
				t.Errorf("%v is cut on all sides", s)
			}
		}
	}
	if w := (Fit{Crop, 1, 0}).Window(Size{100, 100}, 1, across, up); math.Abs(w.Right-across) > 1e-12 {
		t.Errorf("anchored right, it ends at %v of %v", w.Right, across)
	}
	if w := (Fit{Crop, 0, -1}).Window(Size{400, 100}, 1, across, up); math.Abs(w.Bottom+up) > 1e-12 {
		t.Errorf("anchored at the bottom, it ends at %v of %v", w.Bottom, -up)
	}
}

func TestOtherFitsKeepWhatTheySay(t *testing.T) {
	if w := (Fit{Fitting: KeepHeight}).Window(Size{2048, 858}, 1, across, up); w.Top != up || w.Right <= across {
		t.Errorf("keeping the height: %+v", w)
	}
	if w := (Fit{Fitting: KeepWidth}).Window(Size{1080, 1920}, 1, across, up); w.Right != across || w.Top <= up {
		t.Errorf("keeping the width: %+v", w)
	}
	// 16:9 in a square of 1000: 1000 x 563 pixels of picture (562.5 rounded), bars above and below.
	w := Fit{Fitting: Pad}.Window(Size{1000, 1000}, 1, across, up)
	if w.Picture.Dx() != 1000 || w.Picture.Dy() != 563 || w.Picture.Min.Y != 219 {
		t.Errorf("the picture lies at %v", w.Picture)
	}
	if per := w.Height() / 1000; math.Abs(w.Top-219*per-up) > 1e-12 || w.Left != -across {
		t.Errorf("the window does not carry the whole picture: %+v", w)
	}
	if w := (Fit{Pad, 0, 1}).Window(Size{1000, 1000}, 1, across, up); w.Picture.Min.Y != 0 {
		t.Errorf("anchored at the top, the picture begins at line %d", w.Picture.Min.Y)
	}
	// Oblong pixels: 1000 x 1000 pixels twice as wide as high are a picture of 2:1.
	if w := (Fit{}).Window(Size{1000, 1000}, 2, across, up); math.Abs(w.Width()/w.Height()-2) > 1e-12 {
		t.Errorf("oblong pixels show %v", w.Width()/w.Height())
	}
}

func TestAComparisonSaysWhatIsCutAndAdded(t *testing.T) {
	wide, tall := Size{1920, 1080}, Size{1080, 1080}
	own := Fit{}.Window(wide, 1, across, up)
	c := Fit{}.Window(tall, 1, across, up).Against(own, tall, wide)
	if math.Abs(c.Left+0.21875) > 1e-9 || math.Abs(c.Right+0.21875) > 1e-9 || c.Top != 0 || c.Bottom != 0 {
		t.Errorf("a square against 16:9 is %+v, want 21.875 %% less at each side", c)
	}
	c = Fit{Fitting: Pad}.Window(tall, 1, across, up).Against(own, tall, wide)
	if math.Abs(c.Left)+math.Abs(c.Right)+math.Abs(c.Top)+math.Abs(c.Bottom) > 1e-9 {
		t.Errorf("padding loses nothing, but: %+v", c)
	}
	if c := (Fit{Fitting: KeepWidth}).Window(tall, 1, across, up).Against(own, tall, wide); c.Top < 0.38 ||
		math.Abs(c.Left) > 1e-12 {
		t.Errorf("keeping the width adds above and below: %+v", c)
	}
}

// SMPTE ST 2046-1: action within 93 %, titles within 90 % of width and height.
func TestSafeAreas(t *testing.T) {
	x, y, w, h := Size{1920, 1080}.Safe(ActionSafe)
	if math.Abs(x-67.2) > 1e-9 || math.Abs(y-37.8) > 1e-9 || math.Abs(w-1785.6) > 1e-9 || math.Abs(h-1004.4) > 1e-9 {
		t.Errorf("action safe is %v %v %v %v", x, y, w, h)
	}
	if _, _, w, h := (Size{1920, 1080}).Safe(TitleSafe); w != 1728 || h != 972 {
		t.Errorf("title safe is %v x %v", w, h)
	}
}

func TestQuantitiesFollowEachOther(t *testing.T) {
	base := Named{Size: Size{1920, 1080}}
	set := func(n Named, q Quantity, v float64) Named {
		t.Helper()
		out, err := n.With(q, v)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	if n := set(base, Width, 1000); n.Size != (Size{1000, 1080}) {
		t.Errorf("the width alone: %v", n.Size)
	}
	locked := set(base, Ratio, 2.39).Lock(Ratio, true)
	if locked.Size != (Size{1920, 803}) {
		t.Errorf("2.39 in 1920: %v", locked.Size)
	}
	if n := set(locked, Width, 4096); n.Size != (Size{4096, 1714}) || n.Value(Ratio) != 2.39 {
		t.Errorf("4096 at 2.39: %v, %v", n.Size, n.Value(Ratio))
	}
	if n := set(base.Lock(Height, true), Ratio, 2); n.Size != (Size{2160, 1080}) {
		t.Errorf("2:1 with the height locked: %v", n.Size)
	}
	even := Named{Size: Size{1920, 1080}, MultipleOf: 2}
	if n := set(even, Ratio, 2.39); n.Size != (Size{1920, 804}) {
		t.Errorf("2.39 in even numbers: %v", n.Size)
	}
	if n := set(Named{Size: Size{1000, 1000}, PixelAspect: 2}, Ratio, 4); n.Size != (Size{1000, 500}) {
		t.Errorf("4:1 with oblong pixels: %v", n.Size)
	}
}

// The handbook: 3840 x 2160 at 300 pixels per inch is 12.8 in x 7.2 in; A3 (ISO 216) at 300 is 3508 x 4961.
func TestPrintSizes(t *testing.T) {
	n, err := Named{Size: Size{3840, 2160}}.With(PixelsPerInch, 300)
	if err != nil || math.Abs(n.Value(PrintWidth)-12.8*25.4) > 1e-9 || math.Abs(n.Value(PrintHeight)-7.2*25.4) > 1e-9 {
		t.Errorf("%v %v, %v", n.Value(PrintWidth), n.Value(PrintHeight), err)
	}
	for _, edge := range []struct {
		q  Quantity
		mm float64
	}{{PrintWidth, 297}, {PrintHeight, 420}} {
		if n, err = n.With(edge.q, edge.mm); err != nil {
			t.Fatal(err)
		}
	}
	if n.Size != (Size{3508, 4961}) {
		t.Errorf("A3 is %v", n.Size)
	}
	half, err := n.Lock(PrintWidth, true).Lock(PrintHeight, true).With(PixelsPerInch, 150)
	if err != nil || half.Size != (Size{1754, 2481}) && half.Size != (Size{1754, 2480}) {
		t.Errorf("A3 at 150 is %v, %v", half.Size, err)
	}
	if n, err := (Named{Size: Size{3840, 2160}}).Lock(Width, true).With(PrintWidth, 254); err != nil ||
		n.PixelsPerInch != 384 {
		t.Errorf("10 in across need %v ppi, %v", n.PixelsPerInch, err)
	}
}

func TestLocksHold(t *testing.T) {
	n := Named{Size: Size{1920, 1080}}
	if _, err := n.Lock(Width, true).With(Width, 5); err == nil || !strings.Contains(err.Error(), "unlock") {
		t.Errorf("a locked width was changed: %v", err)
	}
	if got, err := n.Lock(Width, true).Lock(Ratio, true).With(Height, 500); err == nil || got.Size != n.Size {
		t.Errorf("a locked width followed: %v, %v", got.Size, err)
	}
	if got := n.Lock(Width, true).Lock(Width, false); got.Locked(Width) || got.Locks != nil {
		t.Errorf("let go, it is %v", got.Locks)
	}
	for _, v := range []float64{0, -1, math.NaN(), math.Inf(1)} {
		if _, err := n.With(Width, v); err == nil {
			t.Errorf("a width of %v was taken", v)
		}
	}
}

func TestLengthsAndRatiosAreRead(t *testing.T) {
	for text, want := range map[string]float64{"12.8 in": 325.12, "297mm": 297, "29.7 cm": 297} {
		if got, err := ParseLength(text); err != nil || math.Abs(got-want) > 1e-9 {
			t.Errorf("%q: %v, %v", text, got, err)
		}
	}
	for text, want := range map[string]float64{"2.39": 2.39, "16:9": 16.0 / 9, "16/9": 16.0 / 9} {
		if got, err := ParseRatio(text); err != nil || math.Abs(got-want) > 1e-9 {
			t.Errorf("%q: %v, %v", text, got, err)
		}
	}
	for _, text := range []string{"", "12", "-3 mm", "x cm", "0", "1:0", ":", "1:2:3"} {
		if _, err := ParseLength(text); err == nil {
			t.Errorf("%q was read as a length", text)
		}
	}
	for _, text := range []string{"", "0", "1:0", ":", "1:2:3", "-2"} {
		if _, err := ParseRatio(text); err == nil {
			t.Errorf("%q was read as a ratio", text)
		}
	}
}

func TestSizesThatCannotBeAreSaid(t *testing.T) {
	for says, n := range map[string]Named{
		"1 to 32768":      {Size: Size{0, 5}},
		"multiples of 2":  {Size: Size{5, 5}, MultipleOf: 2},
		"pixel aspect":    {Size: Size{5, 5}, PixelAspect: 20},
		"no fit":          {Size: Size{5, 5}, Fit: Fit{Fitting: "x"}},
		"could be locked": {Size: Size{5, 5}, Locks: []Quantity{"weight"}},
		"anchor":          {Size: Size{5, 5}, Fit: Fit{AnchorX: 2}},
	} {
		if err := n.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v", n, err)
		}
	}
	if (Window{Picture: image.Rect(0, 0, 1, 1)}).Width() != 0 {
		t.Error("a window without edges has a width")
	}
}
