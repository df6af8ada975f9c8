package preview

import (
	"bytes"
	"context"
	"errors"
	"image/png"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/demo"
	"reelhouse/house"
	"reelhouse/house/housetest"
)

func small(t *testing.T) (*Previews, Request) {
	t.Helper()
	h, b := housetest.New(t, "1001")
	q := b.Sequences[0].Spec
	return New(
			h,
		), Request{
			Scene:      b.Plan.Scene,
			Camera:     "cam",
			Look:       q.Look,
			Rate:       b.Plan.Rate,
			FirstFrame: 1001,
			Frame:      1001,
			Size:       raster.Size{Width: 60, Height: 40},
		}
}

func TestPicturesSharpenStepByStep(t *testing.T) {
	p, want := small(t)
	before := 0
	for _, step := range Steps() {
		file, err := p.Picture(context.Background(), want, step)
		if err != nil {
			t.Fatal(err)
		}
		c, err := png.DecodeConfig(bytes.NewReader(file))
		if err != nil || c.Width != 60/step.Part || c.Height != 40/step.Part {
			t.Errorf("step %+v: %+v, %v", step, c, err)
		}
		if cost := c.Width * c.Height * step.Samples * step.Samples; cost <= before {
			t.Errorf("step %+v costs no more than the one before", step)
		} else {
			before = cost
		}
		again, err := p.Picture(context.Background(), want, step)
		if err != nil || !bytes.Equal(file, again) {
			t.Errorf("step %+v: the second time it differs (%v)", step, err)
		}
	}
	moved := want
	moved.Setup.Stand = &camera.Stand{Position: geom.Vec{Y: 40}, Tilt: -90}
	a, _ := p.Picture(context.Background(), want, Step{1, 1})
	b, err := p.Picture(context.Background(), moved, Step{1, 1})
	if err != nil || bytes.Equal(a, b) {
		t.Errorf("a moved camera gives the same picture, %v", err)
	}
}

func TestAPictureThatNobodyWaitsForIsGivenUp(t *testing.T) {
	p, want := small(t)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := p.Picture(ctx, want, Step{1, 1}); !errors.Is(err, context.Canceled) {
		t.Errorf("it ended with %v", err)
	}
	if _, err := p.Picture(context.Background(), want, Step{1, 1}); err != nil {
		t.Errorf("the next one: %v", err)
	}
}

// The camera stands 2 m above the floor and 5 m south of the origin, and looks north.
func TestAPointOfAPictureIsPicked(t *testing.T) {
	p, want := small(t)
	got, err := p.Pick(t.Context(), want, 0.5, 0.9)
	if err != nil || !got.Found || got.Object != "floor" || got.Point.Y > 1e-9 || got.Distance < 2 {
		t.Errorf("picked %+v, %v", got, err)
	}
	if got, err := p.Pick(t.Context(), want, 0.5, 0.1); err != nil || got.Found {
		t.Errorf("in the sky there is %+v, %v", got, err)
	}
	if s, err := p.Sight(t.Context(), want); err != nil || s.Blank || s.Inside != "" {
		t.Errorf("what is strange: %+v, %v", s, err)
	}
	want.Scene.Opaque = &production.Opaque{}
	if _, err := p.Pick(t.Context(), want, 0.5, 0.5); err == nil {
		t.Error("something was picked in a scene that cannot be read")
	}
	want.Scene = production.SceneFile{SHA256: "none"}
	if _, err := p.Picture(context.Background(), want, Step{1, 1}); err == nil {
		t.Error("a scene that is not there was rendered")
	}
}

// BenchmarkFirstPicture is what a person waits for while dragging a camera of the demo: the first picture, shown 480
// pixels wide.
func BenchmarkFirstPicture(b *testing.B) {
	h, err := house.Open(b.TempDir(), false)
	if err != nil {
		b.Fatal(err)
	}
	defer h.Close()
	var file bytes.Buffer
	if err := demo.Scene().Write(&file); err != nil {
		b.Fatal(err)
	}
	kept, _, err := h.Assets.ImportScene(demo.SceneName, &file)
	if err != nil {
		b.Fatal(err)
	}
	p, d := New(h), demo.Production(kept, production.EnvironmentFile{})
	for _, v := range d.Views[:4] {
		b.Run(v.Code, func(b *testing.B) {
			l, _ := d.FindLook(v.Look)
			t := Request{
				Scene:      kept,
				Camera:     v.Camera,
				Setup:      v.Setup,
				Look:       l,
				Rate:       d.Rate,
				FirstFrame: d.FirstFrame,
				Frame:      d.FirstFrame,
				Size:       raster.Size{Width: 480, Height: 270},
			}
			if _, err := p.Picture(context.Background(), t, Steps()[0]); err != nil { // the scene is made ready once
				b.Fatal(err)
			}
			b.ResetTimer()
			b.ReportAllocs()
			for range b.N {
				if _, err := p.Picture(context.Background(), t, Steps()[0]); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
