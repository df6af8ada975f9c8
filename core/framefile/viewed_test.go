package framefile

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"math"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/lut"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// inverts is a look-up table that makes a negative of its codes.
const inverts = "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n"

// viewedFile writes one file of half-covered light, and reads it.
func viewedFile(
	t *testing.T,
	e output.Encoding,
	open func(path string) (io.ReadCloser, error),
) (picture.Picture, error) {
	t.Helper()
	var f Frame
	f.Job.Rate = frame.Rate{Numerator: 24, Denominator: 1}
	f.Job.Size = raster.Size{Width: 8, Height: 2}
	img := pixel.New(8, 2, "R", "G", "B", "A")
	for i := range 16 {
		img.Planes[0].Data[i], img.Planes[1].Data[i], img.Planes[2].Data[i] = float32(i)/4, float32(i)/8, 0.1
		img.Planes[3].Data[i] = 0.5
	}
	before := img.Clone()
	var written []byte
	files := []job.File{{Path: "a.png", Encoding: e, Passes: []pass.Code{pass.Beauty}}}
	o := Outside{
		Wrote: func(string, int64) {}, Table: Tables(open),
		Create: func(string) (File, error) {
			return &buffer{done: func(data []byte) { written = bytes.Clone(data) }, dropped: func() {}}, nil
		},
	}
	err := f.WriteWhole(img, files, 0, o)
	if err != nil {
		return picture.Picture{}, err
	}
	for k, p := range before.Planes {
		for i, v := range p.Data {
			if img.Planes[k].Data[i] != v {
				t.Fatal("the picture itself was changed")
			}
		}
	}
	p, err := picture.Decode(written)
	if err != nil {
		t.Fatal(err)
	}
	return p, nil
}

func opens(text string) func(string) (io.ReadCloser, error) {
	return func(path string) (io.ReadCloser, error) {
		if path != "/luts/aa" {
			return nil, fs.ErrNotExist
		}
		return io.NopCloser(strings.NewReader(text)), nil
	}
}

// Light goes through the transform of the house, and is encoded once after it; where coverage is stored, the colour
// does so as if nothing shone through.
func TestFilesThroughAViewingTransform(t *testing.T) {
	table := output.LUT{Path: "/luts/aa", SHA256: "aa", Input: lut.Input{Curve: lut.SRGB}}
	shows := map[string]func(e *output.Encoding) func(r, g, b float64) (x, y, z float64){
		"soft": func(e *output.Encoding) func(r, g, b float64) (x, y, z float64) {
			e.Viewing = pixel.ViewSoft
			return pixel.ViewSoft.Light
		},
		"look-up table": func(e *output.Encoding) func(r, g, b float64) (x, y, z float64) {
			e.LUT = table
			negative := func(v float64) float64 { return pixel.SRGB.Decode(1 - pixel.SRGB.Encode(v)) }
			return func(r, g, b float64) (x, y, z float64) { return negative(r), negative(g), negative(b) }
		},
	}
	for name, of := range shows {
		for _, alpha := range []output.Alpha{output.NoAlpha, output.Straight} {
			e := output.PNG.Usual()
			e.Depth, e.Alpha = output.Sixteen, alpha
			shown := of(&e)
			if err := e.Check(); err != nil {
				t.Fatal(err)
			}
			p, err := viewedFile(t, e, opens(inverts))
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			a := 1.0
			if alpha == output.Straight {
				a = 0.5
			}
			for i := range 16 {
				x, y, z := shown(float64(i)/4/a, float64(i)/8/a, 0.1/a)
				for k, want := range []float64{x, y, z} {
					if got := float64(p.Image.Planes[k].Data[i]); math.Abs(got-want*a) > 1e-4 {
						t.Fatalf("%s, %s alpha: pixel %d has %g, want %g", name, alpha, i, got, want*a)
					}
				}
			}
			if says := p.Fact("viewing"); !strings.HasPrefix(says, name) {
				t.Errorf("it says %q", says)
			}
		}
	}
}

func TestATableThatCannotBeReadSaysSo(t *testing.T) {
	e := output.PNG.Usual()
	e.LUT = output.LUT{Path: "/luts/bb", SHA256: "bb", Input: lut.Input{Curve: lut.SRGB}}
	if _, err := viewedFile(t, e, opens("")); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("a file that is not there: %v", err)
	}
	e.LUT.Path = "/luts/aa"
	if _, err := viewedFile(t, e, opens("LUT_1D_SIZE x")); err == nil ||
		!strings.Contains(err.Error(), "look-up table") {
		t.Errorf("a file that is none: %v", err)
	}
}
