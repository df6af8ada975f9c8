package demo

import (
	"bytes"
	"context"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/trace"
)

// The model of file sizes is held against files of real frames: each view at its own look, at draft quality.
// It need not be exact, since a production's own frames correct it; it must tell whether the night's frames
// fit on the disk.
func TestBytesAFrameAreNearThoseOfRealFrames(t *testing.T) {
	s, err := scene.Read(bytes.NewReader(file(t)))
	if err != nil {
		t.Fatal(err)
	}
	model := trace.Prepare(s)
	size := raster.Size{Width: 384, Height: 161}
	everything := []pass.Code{pass.Beauty, pass.Depth, pass.Normal, pass.Object}
	looks := Looks()
	var frames []*pixel.Image
	for i, camera := range []string{"cam_quay", "cam_lighthouse", "cam_bow"} {
		img, err := model.At(1, looks[i%len(looks)]).Render(context.Background(), camera, trace.Settings{Size: size, Passes: everything, Samples: 2, Filter: pixel.Box, DepthBackground: 1000}, func(float64) {})
		if err != nil {
			t.Fatal(err)
		}
		frames = append(frames, img)
	}
	for _, c := range []struct {
		name   string
		format output.Format
		change func(e *output.Encoding)
		passes []pass.Code
	}{
		{"EXR, all", output.EXR, func(*output.Encoding) {}, everything},
		{"EXR, beauty", output.EXR, func(*output.Encoding) {}, everything[:1]},
		{"EXR, beauty and depth", output.EXR, func(*output.Encoding) {}, everything[:2]},
		{"EXR, normal", output.EXR, func(*output.Encoding) {}, everything[2:3]},
		{"EXR, object", output.EXR, func(*output.Encoding) {}, everything[3:]},
		{"EXR, object, PIZ", output.EXR, func(e *output.Encoding) { e.Compression, e.Level = output.PIZ, 0 }, everything[3:]},
		{"EXR, uncompressed", output.EXR, func(e *output.Encoding) { e.Compression, e.Level = output.None, 0 }, everything},
		{"EXR, all, PIZ", output.EXR, func(e *output.Encoding) { e.Compression, e.Level = output.PIZ, 0 }, everything},
		{"EXR, beauty, PIZ", output.EXR, func(e *output.Encoding) { e.Compression, e.Level = output.PIZ, 0 }, everything[:1]},
		{"EXR, all, RLE", output.EXR, func(e *output.Encoding) { e.Compression, e.Level = output.RLE, 0 }, everything},
		{"EXR, beauty, RLE", output.EXR, func(e *output.Encoding) { e.Compression, e.Level = output.RLE, 0 }, everything[:1]},
		{"PNG 8", output.PNG, func(e *output.Encoding) { e.Depth = output.Eight }, everything[:1]},
		{"PNG 16", output.PNG, func(*output.Encoding) {}, everything[:1]},
		{"JPEG 50", output.JPEG, func(e *output.Encoding) { e.Level = 50 }, everything[:1]},
		{"JPEG 75", output.JPEG, func(e *output.Encoding) { e.Level = 75 }, everything[:1]},
		{"JPEG 90", output.JPEG, func(*output.Encoding) {}, everything[:1]},
		{"JPEG 98", output.JPEG, func(e *output.Encoding) { e.Level = 98 }, everything[:1]},
	} {
		e := c.format.Usual()
		c.change(&e)
		real := 0.0
		for _, img := range frames {
			var b bytes.Buffer
			if err := picture.Encode(&b, e, img, c.passes, picture.Header{}); err != nil {
				t.Fatal(err)
			}
			real += float64(b.Len()) / float64(len(frames))
		}
		if expected := e.Bytes(c.passes, size); expected < real*0.7 || expected > real*1.5 {
			t.Errorf("%s: %.0f bytes expected, %.0f real ones", c.name, expected, real)
		} else {
			t.Logf("%s: %.0f bytes expected, %.0f real ones", c.name, expected, real)
		}
	}
}
