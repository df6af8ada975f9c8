package screening

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math/rand/v2"
	"testing"
)

// What the standard library's decoder reads is what was written.
func TestPNGFilesHoldThePicture(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, size := range []image.Point{{1, 1}, {7, 3}, {640, 2}, {3, 500}} {
		img := image.NewNRGBA(image.Rect(0, 0, size.X, size.Y))
		for i := range img.Pix {
			img.Pix[i] = byte(r.UintN(256)) | byte(i%4/3*255)
		}
		var file bytes.Buffer
		if err := EncodePNG(&file, img); err != nil {
			t.Fatal(err)
		}
		read, err := png.Decode(&file)
		if err != nil || read.Bounds() != img.Bounds() {
			t.Fatalf("%v: %v", size, err)
		}
		for y := range size.Y {
			for x := range size.X {
				if got := color.NRGBAModel.Convert(read.At(x, y)); got != img.NRGBAAt(x, y) {
					t.Fatalf("%v: at %d, %d: %v", size, x, y, got)
				}
			}
		}
	}
}

func BenchmarkEncodePNG(b *testing.B) {
	img := image.NewNRGBA(image.Rect(0, 0, 2048, 858))
	r := rand.New(rand.NewPCG(1, 2))
	for i := range img.Pix {
		img.Pix[i] = byte(i/40+int(r.UintN(4))) | byte(i%4/3*255)
	}
	b.SetBytes(int64(len(img.Pix)))
	for b.Loop() {
		var file bytes.Buffer
		if err := EncodePNG(&file, img); err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(file.Len()), "bytes")
	}
}
