package demo

import (
	"bytes"
	"context"
	"fmt"
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
	var rendered []pass.Code
	for _, p := range pass.Catalogue() {
		rendered = append(rendered, p.Code)
	}
	looks := Looks()
	var frames []*pixel.Image
	for i, camera := range []string{"cam_quay", "cam_lighthouse", "cam_bow"} {
		img, err := model.At(1, looks[i%len(looks)], nil).
			Render(context.Background(), camera,
				trace.Settings{Size: size, Passes: rendered, Samples: 2, Filter: pixel.Box, DepthBackground: 1000},
				func(float64) {})
		if err != nil {
			t.Fatal(err)
		}
		frames = append(frames, img)
	}
	type trial struct {
		e      output.Encoding
		passes []pass.Code
	}
	var trials []trial
	for _, k := range output.Kinds() {
		for _, compression := range k.Compressions {
			for _, depth := range k.Depths {
				e := k.Format.Usual()
				e.Compression, e.Depth, e.Level = compression, depth, k.Format.Scale(compression).Used
				if depth == output.Float {
					e.Curve = pixel.Linear
				}
				trials = append(trials, trial{e, everything[:1]})
				if k.Data {
					trials = append(trials, trial{e, everything}, trial{e, everything[2:3]}, trial{e, everything[3:]})
				} else if len(k.Alphas) > 0 {
					e.Alpha = output.NoAlpha
					trials = append(trials, trial{e, everything[:1]})
				}
			}
		}
	}
	for _, compression := range []output.Compression{output.ZIP, output.PIZ, output.PXR24, output.DWAA} {
		e := output.EXR.Usual()
		e.Compression, e.Level = compression, output.EXR.Scale(compression).Used
		for _, code := range rendered {
			if code != pass.UV && code != pass.Occlusion && code != pass.Transmission &&
				code != pass.SampleCount { // of which others have more
				trials = append(trials, trial{e, []pass.Code{code}})
			}
		}
	}
	for _, level := range []int{50, 75, 98} {
		e := output.JPEG.Usual()
		e.Level = level
		trials = append(trials, trial{e, everything[:1]})
	}
	for _, loss := range []int{5, 200} {
		e := output.EXR.Usual()
		e.Compression, e.Level = output.DWAA, loss
		trials = append(trials, trial{e, everything[:1]})
	}
	for _, c := range trials {
		e := c.e
		real := 0.0
		for _, img := range frames {
			var b bytes.Buffer
			if err := picture.Encode(&b, e, img, c.passes, picture.Header{}); err != nil {
				t.Fatal(err)
			}
			real += float64(b.Len()) / float64(len(frames))
		}
		if expected := e.Bytes(c.passes, size); expected < real*0.7 || expected > real*1.5 {
			t.Errorf("%s: %.0f bytes expected, %.0f real ones", fmt.Sprint(e, c.passes), expected, real)
		} else {
			t.Logf("%s: %.0f bytes expected, %.0f real ones", fmt.Sprint(e, c.passes), expected, real)
		}
	}
}
