package output

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/lut"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

var everything = []pass.Code{pass.Beauty, pass.Depth, pass.Normal, pass.Object}

func TestUsualOutputsAreSound(t *testing.T) {
	for _, o := range Usual() {
		if field, err := o.Check(); err != nil {
			t.Errorf("%s, %s: %v", o.Code, field, err)
		}
		if reasons := o.Cannot(o.Format, Wants{everything, Agreed{}, false}); len(reasons) > 0 {
			t.Errorf("%s cannot hold its passes: %v", o.Code, reasons)
		}
	}
	for _, k := range Kinds() {
		if err := k.Format.Usual().Check(); err != nil {
			t.Error(err)
		}
	}
}

func TestWhatAFormatCannotHoldIsSaidBefore(t *testing.T) {
	master := Usual()[0]
	for _, c := range []struct {
		format      Format
		passes      []pass.Code
		transparent bool
		says        []string
	}{
		{EXR, everything, true, nil},
		{PNG, everything, false, []string{"no layers", "no float"}},
		{PNG, everything[:1], true, nil},
		{JPEG, everything[:1], true, []string{"loses a little", "no alpha"}},
		{JPEG, everything[:2], false, []string{"no layers", "no float", "loses a little"}},
		{TIFF, everything[:2], true, []string{"no layers", "names no channels"}},
		{DPX, everything[:1], true, []string{"no alpha"}},
		{HDR, everything[:1], false, []string{"loses a little"}},
		{HDR, everything[1:2], false, []string{"names no channels"}},
		{"xyz", everything[:1], false, []string{"no file format"}},
	} {
		got := master.Cannot(c.format, Wants{c.passes, Agreed{}, c.transparent})
		for _, says := range c.says {
			if !slices.ContainsFunc(got, func(r string) bool { return strings.Contains(r, says) }) {
				t.Errorf("%s with %v: %q does not say %q", c.format, c.passes, got, says)
			}
		}
		if len(c.says) == 0 && len(got) > 0 {
			t.Errorf("%s with %v: %q", c.format, c.passes, got)
		}
	}
}

func TestAMasterLosesNothing(t *testing.T) {
	o := Usual()[0]
	for _, c := range EXR.Kind().Compressions {
		o.Compression, o.Level = c, EXR.Scale(c).Used
		got := o.Cannot(EXR, Wants{everything, Agreed{}, false})
		if lossy := len(got) > 0; lossy == c.Lossless() ||
			lossy && !strings.Contains(got[0], strings.ToUpper(string(c))+" compression loses") {
			t.Errorf("%s: %q", c, got)
		}
		if o.Role = Review; len(o.Cannot(EXR, Wants{everything, Agreed{}, false})) > 0 {
			t.Errorf("%s is refused for looking", c)
		}
		o.Role = Master
	}
}

func TestOnlyWholeNumbersAreDithered(t *testing.T) {
	for _, k := range Kinds() {
		for _, depth := range k.Depths {
			e := k.Format.Usual()
			e.Depth, e.Dither = depth, pixel.OrderedDither
			if e.Floating() {
				e.Curve = pixel.Linear
			}
			if err := e.Check(); (err == nil) == e.Floating() {
				t.Errorf("%s %s: %v", k.Format, depth, err)
			}
		}
	}
	e := PNG.Usual()
	if e.Dither = "x"; e.Check() == nil {
		t.Error("an unknown dither was taken")
	}
}

func TestColourIsNeverEncodedTwice(t *testing.T) {
	for _, display := range pixel.Curves() {
		for _, o := range Usual() {
			e := o.Encoding(Agreed{Alpha: Straight, Display: display})
			if err := e.Check(); err != nil {
				t.Errorf("%s with %s: %v", o.Code, display, err)
			}
			if e.Format == EXR && e.Curve != pixel.Linear {
				t.Errorf("OpenEXR would be encoded by %s", e.Curve)
			}
		}
	}
	encoded, unusual := EXR.Usual(), JPEG.Usual()
	encoded.Curve, unusual.Curve = pixel.SRGB, pixel.BT1886
	if err := encoded.Check(); err == nil ||
		!strings.Contains(err.Error(), "second time") {
		t.Errorf("an encoded OpenEXR passed: %v", err)
	}
	if err := unusual.Check(); err == nil ||
		!strings.Contains(err.Error(), "cannot say") {
		t.Errorf("a JPEG of an unusual curve passed: %v", err)
	}
}

func TestPassesAreBundled(t *testing.T) {
	o := Usual()[0]
	bundles := func() string {
		var all []string
		for _, b := range o.Bundles(everything) {
			all = append(all, fmt.Sprint(b.Label, b.Passes))
		}
		return strings.Join(all, " ")
	}
	for _, c := range []struct {
		packing Packing
		groups  []Group
		only    []pass.Code
		want    string
	}{
		{Layers, nil, nil, "all[beauty depth normal object]"},
		{Layers, nil, []pass.Code{pass.Depth}, "depth[depth]"},
		{Files, nil, []pass.Code{pass.Depth, pass.Beauty}, "beauty[beauty] depth[depth]"},
		{Groups, []Group{{"data", []pass.Code{pass.Normal, pass.Depth}}, {"mattes", []pass.Code{pass.Object}}}, nil,
			"data[depth normal] object[object] beauty[beauty]"},
		{Groups, nil, nil, "beauty[beauty] depth[depth] normal[normal] object[object]"},
	} {
		o.Packing, o.Groups, o.Only = c.packing, c.groups, c.only
		if got := bundles(); got != c.want {
			t.Errorf("%s %v: %s, want %s", c.packing, c.only, got, c.want)
		}
	}
	o.Only = []pass.Code{pass.Normal}
	if got := o.Bundles(everything[:1]); len(got) != 0 {
		t.Errorf("a pass that the shot has not: %v", got)
	}
}

func TestSwitchingFormatsKeepsWhatIsPossible(t *testing.T) {
	o := Usual()[0].Switch(PNG)
	if field, err := o.Check(); o.Depth != Sixteen || o.Level != 2 || o.Compression != Deflate || o.Packing != Files ||
		err != nil {
		t.Errorf("%+v: %s, %v", o, field, err)
	}
	if _, err := o.Switch(JPEG).Switch(EXR).Check(); err != nil {
		t.Error(err)
	}
	if o.Switch("x").Format != PNG {
		t.Error("an unknown format was taken")
	}
}

func TestMistakesAreNamedWithTheirField(t *testing.T) {
	for says, c := range map[string]struct {
		spoil func(o *Output)
		field string
	}{
		"no file format": {func(o *Output) { o.Format = "x" }, "format"},
		"no depth":       {func(o *Output) { o.Depth = Eight }, "format"},
		"no compression": {func(o *Output) { o.Compression = DCT }, "format"},
		"lies in 1 to 9": {func(o *Output) { o.Level = 10 }, "format"},
		"no x alpha":     {func(o *Output) { o.Alpha = "x" }, "format"},
		"no role":        {func(o *Output) { o.Role = "x" }, "role"},
		"no packing":     {func(o *Output) { o.Packing = "x" }, "packing"},
		"group name":     {func(o *Output) { o.Groups = []Group{{Name: "a b"}} }, "groups"},
		"two groups": {func(o *Output) { o.Groups = []Group{{"a", everything[1:2]}, {"b", everything[1:2]}} },
			"groups"},
		"no resampling":    {func(o *Output) { o.Kernel = "x" }, "kernel"},
		`no pass "x"`:      {func(o *Output) { o.Only = []pass.Code{"x"} }, "only"},
		"pattern":          {func(o *Output) { o.Pattern = "x" }, "pattern"},
		"unless that is":   {func(o *Output) { o.Stamp = stamp.Usual() }, "stamp"},
		"outside 1 to 20 ": {func(o *Output) { o.Stamp, o.StampMaster = stamp.Stamp{On: true}, true }, "stamp"},
	} {
		o := Usual()[0]
		c.spoil(&o)
		if field, err := o.Check(); err == nil || field != c.field || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %s, %v", says, field, err)
		}
	}
}

func TestBytesGrowWithWhatIsStored(t *testing.T) {
	size := raster.Size{Width: 1000, Height: 1000}
	exr, png, jpeg := EXR.Usual(), PNG.Usual(), JPEG.Usual()
	none, eight, poor := exr, png, jpeg
	none.Compression, eight.Depth, poor.Level = None, Eight, 30
	if got := none.Bytes(everything, size); got != 36e6+headerBytes { // 4 halves and 7 floats
		t.Errorf("without compression %v bytes", got)
	}
	for _, c := range [][2]float64{
		{exr.Bytes(everything, size), none.Bytes(everything, size)},
		{eight.Bytes(everything[:1], size), png.Bytes(everything[:1], size)},
		{poor.Bytes(everything[:1], size), jpeg.Bytes(everything[:1], size)},
		{jpeg.Bytes(everything[:1], size), eight.Bytes(everything[:1], size)},
	} {
		if c[0] >= c[1] {
			t.Errorf("%v bytes are not fewer than %v", c[0], c[1])
		}
	}
}

// What an output becomes that goes through the viewing transform: codes of a display, in every case, and no floats.
func TestViewedOutputs(t *testing.T) {
	soft := Agreed{Display: pixel.BT1886, Viewing: pixel.ViewSoft}
	table := LUT{SHA256: "aa", Input: lut.Input{Curve: lut.SRGB}}
	tabled := Agreed{Display: pixel.BT1886, Viewing: "lut:a", LUT: table}
	review := Usual()[1]
	review.Viewed = true
	linear := review
	linear.Curve = pixel.Linear
	for name, c := range map[string]struct {
		of      Output
		agreed  Agreed
		curve   pixel.Curve
		viewing pixel.Viewing
		lut     LUT
	}{
		"a curve":         {review, Agreed{Viewing: pixel.ViewBT1886}, pixel.BT1886, "", LUT{}},
		"plain":           {review, Agreed{Display: pixel.Gamma22}, pixel.SRGB, "", LUT{}},
		"soft":            {review, soft, pixel.SRGB, pixel.ViewSoft, LUT{}},
		"a table":         {review, tabled, pixel.BT1886, "", table},
		"a linear one":    {linear, Agreed{Viewing: "lut:a", LUT: table}, pixel.SRGB, "", table},
		"not asked for":   {Usual()[1], Agreed{Viewing: "lut:a", LUT: table}, pixel.SRGB, "", LUT{}},
		"a master":        {Usual()[0], Agreed{Viewing: pixel.ViewSoft}, pixel.Linear, "", LUT{}},
		"as floats later": {review.Switch(EXR), Agreed{Viewing: pixel.ViewSoft}, pixel.Linear, "", LUT{}},
	} {
		e := c.of.Encoding(c.agreed)
		if e.Curve != c.curve || e.Viewing != c.viewing || e.LUT != c.lut || e.Check() != nil {
			t.Errorf("%s: %+v, %v", name, e, e.Check())
		}
	}
	master := Usual()[0]
	master.Viewed = true
	if field, err := master.Check(); field != "viewed" || err == nil {
		t.Errorf("a viewed master: %s, %v", field, err)
	}
}
