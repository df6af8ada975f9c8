package inspect

import (
	"bytes"
	"encoding/binary"
	"image"
	"math"
	"strings"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

func judge(data []byte, want Expected) Report {
	return Judge(bytes.NewReader(data), int64(len(data)), want)
}

var promised = Expected{
	Encoding: output.EXR.Usual(),
	Size:     raster.Size{Width: 4, Height: 3},
	Passes:   []pass.Code{pass.Beauty, pass.Depth},
}

func file(t *testing.T, spoil func(img *pixel.Image)) []byte {
	t.Helper()
	img := pixel.New(4, 3, "R", "G", "B", "A", "depth.Z")
	for i := range 4 {
		img.Planes[i].Half = true
	}
	spoil(img)
	passes := []pass.Code{pass.Beauty}
	if len(img.Planes) > 4 {
		passes = append(passes, pass.Depth)
	}
	var b bytes.Buffer
	if err := picture.Encode(&b, output.EXR.Usual(), img, passes, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// What is found in a file does not depend on how many of its lines are looked at together.
func TestHighFilesAreMeasuredAsAWhole(t *testing.T) {
	const high = 2*linesAtOnce + 7
	img := pixel.New(3, high, "R", "G", "B", "A")
	for i := range img.Planes[0].Data {
		img.Planes[0].Data[i] = float32(i%5) / 4
		img.Planes[1].Data[i] = float32(math.NaN())
	}
	img.Planes[0].Data[3*high-1] = -3
	img.Planes[2].Data[0], img.Planes[2].Data[3*linesAtOnce] = float32(math.Inf(1)), 9
	img.Planes[1].Data[3*high-2] = 5 // the only number of its plane
	for _, format := range []output.Format{output.EXR, output.PNG} {
		e := format.Usual()
		if format == output.EXR {
			e.Depth = output.Float
		}
		var b bytes.Buffer
		if err := picture.Encode(&b, e, img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
			t.Fatal(err)
		}
		whole, err := picture.Decode(b.Bytes())
		if err != nil {
			t.Fatal(err)
		}
		r := judge(b.Bytes(), Expected{})
		if r.Height != high || len(r.Channels) != len(whole.Image.Planes) {
			t.Fatalf("%s: %+v", format, r)
		}
		for i, plane := range whole.Image.Planes {
			got, want := r.Channels[i].Stats, plane.Stats()
			if math.Abs(got.Mean-want.Mean) > 1e-9 {
				t.Errorf("%s: the mean of %s is %v, want %v", format, plane.Name, got.Mean, want.Mean)
			}
			if got.Mean = want.Mean; got != want {
				t.Errorf("%s: %s is %+v, want %+v", format, plane.Name, got, want)
			}
		}
	}
}

// A file of more bytes than are usually read is judged if it is as large as it was promised to be.
func TestLargeFilesAreExpected(t *testing.T) {
	if small, large := promised.Bytes(), (Expected{Size: raster.Size{Width: 16384, Height: 9216},
		Passes: []pass.Code{pass.Beauty, pass.CryptoObject, pass.Position}}).Bytes(); small != 8*5*12 ||
		large < picture.Limit {
		t.Errorf("%d and %d bytes", small, large)
	}
}

func TestFaultsAreFound(t *testing.T) {
	whole := file(t, func(*pixel.Image) {})
	if r := judge(whole, promised); !r.Good() || r.Width != 4 || len(r.Channels) != 5 {
		t.Errorf("a good file: %+v", r)
	}
	larger := promised
	larger.Size.Width = 5
	png := promised
	png.Encoding = output.PNG.Usual()
	wide := promised
	wide.Encoding.Depth = output.Float
	for name, c := range map[string]struct {
		data []byte
		want Expected
		says string
	}{
		"empty":     {nil, promised, "empty"},
		"cut short": {whole[:len(whole)-5], promised, "cannot be read"},
		"NaN": {file(t, func(img *pixel.Image) { img.Planes[4].Data[5] = float32(math.NaN()) }), promised,
			"depth.Z holds 1 values that are not a number"},
		"infinite": {file(t, func(img *pixel.Image) { img.Planes[0].Data[5] = 1e6 }), promised,
			"R holds 1 infinite"},
		"size":   {whole, larger, "4 × 3"},
		"format": {whole, png, "not PNG"},
		"channel missing": {file(t, func(img *pixel.Image) { img.Planes = img.Planes[:4] }), promised,
			"depth.Z is missing"},
		"channel type": {whole, wide, "channel R is half, not float"},
		"channel extra": {whole, Expected{Encoding: output.EXR.Usual(), Passes: []pass.Code{pass.Beauty}},
			"depth.Z was not asked for"},
	} {
		r := judge(c.data, c.want)
		if r.Good() || !strings.Contains(strings.Join(r.Problems, "; "), c.says) {
			t.Errorf("%s: %v, want %q", name, r.Problems, c.says)
		}
	}
}

func TestPicturesAreHeldAgainstTheirEncoding(t *testing.T) {
	img := pixel.New(4, 3, "R", "G", "B", "A")
	for i := range img.Planes[3].Data {
		img.Planes[3].Data[i] = 1
	}
	wanted := Expected{Encoding: output.PNG.Usual(), Passes: []pass.Code{pass.Beauty}}
	for says, change := range map[string]func(e *output.Encoding){
		"": func(*output.Encoding) {}, "8 bits a value": func(e *output.Encoding) { e.Depth = output.Eight },
		"encoded by gamma 2.4": func(e *output.Encoding) { e.Curve = pixel.BT1886 },
		"it is JPEG":           func(e *output.Encoding) { *e = output.JPEG.Usual() },
	} {
		e := wanted.Encoding
		change(&e)
		var b bytes.Buffer
		if err := picture.Encode(&b, e, img, wanted.Passes, picture.Header{}); err != nil {
			t.Fatal(err)
		}
		if r := judge(b.Bytes(), wanted); r.Good() != (says == "") ||
			!strings.Contains(strings.Join(r.Problems, "; "), says) {
			t.Errorf("%q: %v", says, r.Problems)
		}
	}
}

// Facts of a file of two parts: what each is, and a fault in the second one.
func TestEveryPartIsToldAndJudged(t *testing.T) {
	first := imagefile.Plain(4, 3, imagefile.Half, "R", "G", "B")
	first.Name = "beauty"
	first.Attributes = imagefile.Attributes{{Name: "owner", Value: "nobody"}}
	second := imagefile.Plain(4, 3, imagefile.Float, "depth.Z")
	second.Channels = append(second.Channels, imagefile.Channel{Name: "id", Type: imagefile.Uint32})
	second.Name, second.DataWindow = "data", image.Rect(2, 1, 4, 3)
	second.DisplayWindow = first.DisplayWindow
	parts := []exr.Picture{
		{Part: exr.Part{Header: first, Compression: exr.PIZ}, Planes: first.Planes(3)},
		{Part: exr.Part{Header: second, Compression: exr.ZIP, Tile: image.Pt(16, 8)}, Planes: second.Planes(2)},
	}
	encode := func() []byte {
		var b bytes.Buffer
		if err := exr.Encode(&b, parts...); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	r := judge(encode(), Expected{})
	if !r.Good() || len(r.Parts) != 2 {
		t.Fatalf("%+v", r)
	}
	a, b := r.Parts[0], r.Parts[1]
	if a.Storage != "PIZ, lines" || len(a.Facts) != 1 || a.Facts[0].Value != "nobody" {
		t.Errorf("the first part: %+v", a)
	}
	if b.Storage != "ZIP, tiles of 16 × 8" || b.Name != "data" || b.Data != (Window{2, 1, 2, 2}) ||
		b.Display != (Window{0, 0, 4, 3}) ||
		b.Channels[1] != (ChannelType{"id", "uint32"}) {
		t.Errorf("the second part: %+v", b)
	}
	binary.LittleEndian.PutUint32(parts[1].Planes[0], math.Float32bits(float32(math.NaN())))
	if r := judge(encode(), Expected{}); r.Good() ||
		!strings.Contains(r.Problems[0], `part 2, "data": channel depth.Z holds 1 values`) {
		t.Errorf("a value that is none: %v", r.Problems)
	}
}

// Whatever an output can be set to is written, and judged to be what was promised.
func TestEveryEncodingKeepsItsPromise(t *testing.T) {
	img := pixel.New(21, 9, "R", "G", "B", "A")
	for i := range img.Planes {
		img.Planes[i].Half = true
		for k := range img.Planes[i].Data {
			img.Planes[i].Data[k] = float32(k%21) / 20
		}
	}
	passes := []pass.Code{pass.Beauty}
	for _, k := range output.Kinds() {
		for _, c := range k.Compressions {
			for _, depth := range k.Depths {
				for _, alpha := range append([]output.Alpha{output.NoAlpha}, k.Alphas...) {
					e := k.Format.Usual()
					e.Compression, e.Level, e.Depth, e.Alpha = c, k.Format.Scale(c).Used, depth, alpha
					if e.Floating() {
						e.Curve = pixel.Linear
					}
					var b bytes.Buffer
					if err := picture.Encode(&b, e, img, passes,
						picture.Header{Facts: []job.Fact{{Name: "shot", Value: "010"}}}); err != nil {
						t.Fatalf("%+v: %v", e, err)
					}
					r := judge(
						b.Bytes(), Expected{Encoding: e, Size: raster.Size{Width: 21, Height: 9}, Passes: passes},
					)
					if !r.Good() || r.Encoding.Alpha != alpha {
						t.Errorf("%+v: %v, alpha %s", e, r.Problems, r.Encoding.Alpha)
					}
					if k.Facts && (picture.Picture{Facts: r.Facts}).Fact("shot") != "010" {
						t.Errorf("%s has lost its facts: %v", k.Name, r.Facts)
					}
				}
			}
		}
	}
}
