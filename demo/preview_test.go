package demo

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"os"
	"strconv"
	"testing"
	"time"

	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/trace"
)

func TestPreview(t *testing.T) {
	cams := os.Getenv("CAM")
	if cams == "" {
		t.Skip()
	}
	var b bytes.Buffer
	if err := Scene().Write(&b); err != nil {
		t.Fatal(err)
	}
	t0 := time.Now()
	s, err := scene.Read(bytes.NewReader(b.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	t.Log("file", b.Len(), "read", time.Since(t0), s.Triangles())
	t0 = time.Now()
	m := trace.Prepare(s)
	t.Log("prepare", time.Since(t0))
	sec, _ := strconv.ParseFloat(os.Getenv("SEC"), 64)
	n, _ := strconv.Atoi(os.Getenv("N"))
	wd, _ := strconv.Atoi(os.Getenv("W"))
	for _, l := range Looks() {
		if l.Code != os.Getenv("LOOK") {
			continue
		}
		t0 = time.Now()
		w := m.At(sec, l)
		img, err := w.Render(context.Background(), cams, trace.Settings{Size: raster.Size{Width: wd, Height: wd * 9 / 16}, Passes: []pass.Code{pass.Beauty}, Samples: n, Filter: pixel.Gaussian}, func(float64) {})
		if err != nil {
			t.Fatal(err)
		}
		t.Log("render", time.Since(t0))
		e := pixel.NewEncoder(8)
		out := image.NewNRGBA(image.Rect(0, 0, img.Width, img.Height))
		for i := range img.Planes[0].Data {
			out.Set(i%img.Width, i/img.Width, color.NRGBA{uint8(e.Code(img.Planes[0].Data[i])), uint8(e.Code(img.Planes[1].Data[i])), uint8(e.Code(img.Planes[2].Data[i])), 255})
		}
		f, _ := os.Create(os.Getenv("OUT"))
		png.Encode(f, out)
		f.Close()
	}
	_ = look.Plain
}
