package inspect

import (
	"bytes"
	"math"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// everyEncoding returns every encoding that a format says it has, with its usual level.
func everyEncoding(k output.Kind) []output.Encoding {
	var all []output.Encoding
	for _, d := range k.Depths {
		for _, c := range k.Compressions {
			for _, a := range append([]output.Alpha{output.NoAlpha}, k.Alphas...) {
				for _, curve := range k.Curves {
					e := output.Encoding{
						Format:      k.Format,
						Depth:       d,
						Compression: c,
						Level:       k.Format.Scale(c).Used,
						Alpha:       a,
						Curve:       curve,
					}
					if e.Check() == nil {
						all = append(all, e)
					}
				}
			}
		}
	}
	return all
}

// every pass of the catalogue, and one of a group of lights.
func everyPass() []pass.Code {
	all := []pass.Code{pass.LightPasses([]pass.LightGroup{{Code: "key"}})[0].Code}
	for _, p := range pass.Catalogue() {
		all = append(all, p.Code)
	}
	return all
}

// What is said to be held can be written, is judged good, and keeps its channels, its depth and the shape of its
// pixels: every kind of file, depth, compression, alpha and encode with every pass. What is said not to be held is not
// written.
func TestWhatIsSaidToBeHeldCanBeWritten(t *testing.T) {
	const width, height = 6, 4
	img := pixel.New(width, height)
	for _, code := range everyPass() {
		described, err := pass.Find(code)
		if err != nil {
			t.Fatal(err)
		}
		for _, name := range described.ChannelNames() {
			plane := pixel.Plane{Name: name, Data: make([]float32, width*height)}
			for i := range plane.Data {
				plane.Data[i] = float32(i) / (width * height)
			}
			img.Planes = append(img.Planes, plane)
		}
	}
	for _, k := range output.Kinds() {
		held := 0
		for _, e := range everyEncoding(k) {
			for _, code := range everyPass() {
				passes := []pass.Code{code}
				covered := code == pass.Beauty || code == pass.Denoised
				if !covered && (e.Alpha != output.NoAlpha || e.Curve != k.Curves[0]) {
					continue // which change nothing of it
				}
				aspects := []float64{1}
				if code == pass.Beauty || code == pass.Depth {
					aspects = append(aspects, 2, 0.5)
				}
				for _, aspect := range aspects {
					var b bytes.Buffer
					err := picture.Encode(&b, e, img, passes, picture.Header{PixelAspect: aspect})
					if holds := e.Holds(passes); (holds == nil) != (err == nil) {
						t.Errorf(
							"%s %s %s %s with %s: said to be held: %v; written: %v", k.Name, e.Depth, e.Compression,
							e.Alpha, code, holds, err,
						)
					}
					if err != nil {
						break
					}
					held++
					r := judge(
						b.Bytes(),
						Expected{Encoding: e, Size: raster.Size{Width: width, Height: height}, Passes: passes},
					)
					if !r.Good() {
						t.Errorf("%s %s %s %s with %s: %v", k.Name, e.Depth, e.Compression, e.Alpha, code, r.Problems)
					} else if got := r.Parts[0].PixelAspect; math.Abs(got/aspect-1) > 0.001 {
						// formats may keep whole pixels a metre
						t.Errorf("%s with %s: pixels of %v came back as %v", k.Name, code, aspect, got)
					}
				}
			}
		}
		if held == 0 {
			t.Errorf("%s holds nothing", k.Name)
		}
	}
}
