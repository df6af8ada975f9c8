package web_test

import (
	"bytes"
	"fmt"
	"math"
	"net/http/httptest"
	"runtime"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/geom"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// large is a scene of 10 000 objects with 500 triangles each: balls on a grid, seen over from one corner.
func large() *scene.Scene {
	const objects, rings, around = 10_000, 11, 25 // two caps of 25 and ten bands of 50 triangles, nearly 500 + 50
	s := &scene.Scene{
		Name: "large",
		Materials: []scene.Material{
			{Name: "grey", BaseColor: geom.Vec{X: 0.5, Y: 0.5, Z: 0.5}, Alpha: 1, Roughness: 0.8},
		},
	}
	for i := range objects {
		at, part := geom.Vec{X: float64(i%100) * 2, Z: float64(i/100) * -2}, scene.Part{}
		for r := range rings {
			down := math.Pi * (float64(r) + 0.5) / rings
			for a := range around {
				turn := 2 * math.Pi * float64(a) / around
				n := geom.Vec{X: math.Sin(down) * math.Cos(turn), Y: math.Cos(down), Z: math.Sin(down) * math.Sin(turn)}
				part.Positions = append(part.Positions, at.Add(n.Scale(0.8)))
				if r > 0 {
					p, q := uint32(r*around+a), uint32(r*around+(a+1)%around)
					part.Indices = append(part.Indices, p, p-around, q, q, p-around, q-around)
				}
			}
		}
		n := scene.NewNode(fmt.Sprintf("ball_%05d", i))
		n.Mesh = i
		s.Meshes, s.Nodes, s.Roots = append(s.Meshes, scene.Mesh{Name: n.Name, Parts: []scene.Part{part}}), append(
			s.Nodes, n,
		), append(s.Roots, i)
	}
	s.Cameras = []scene.Camera{{Name: "cam", Up: 0.6, Aspect: 16.0 / 9}}
	cam := scene.NewNode("cam")
	cam.Camera, cam.Translation, cam.Rotation = 0, geom.Vec{X: -10, Y: 25, Z: 20}, geom.Facing(
		geom.Vec{X: 100, Y: -35, Z: -110}, geom.Vec{Y: 1},
	)
	s.Nodes, s.Roots = append(s.Nodes, cam), append(s.Roots, objects)
	return s
}

// BenchmarkLargeScene walks a scene of 5 million triangles in 10 000 objects from the file to a picture. It is one
// walk; numbers of its steps are seconds.
func BenchmarkLargeScene(b *testing.B) {
	h, err := house.Open(b.TempDir(), false)
	if err != nil {
		b.Fatal(err)
	}
	defer h.Close()
	var file bytes.Buffer
	made := large()
	if err := made.Write(&file); err != nil {
		b.Fatal(err)
	}
	triangles := made.Triangles()
	made = nil
	s := webtest.Over(b, h)
	step := func(name string, work func() error) {
		began := time.Now()
		if err := work(); err != nil {
			b.Fatal(name, err)
		}
		b.ReportMetric(time.Since(began).Seconds(), "s-"+name)
	}
	page := func(path string) func() error {
		return func() error {
			if code, body := s.Do(httptest.NewRequest("GET", path, nil)); code != 200 {
				return fmt.Errorf("%s: %d %s", path, code, body)
			}
			return nil
		}
	}
	walks := 0
	for b.Loop() {
		walks++
		p := production.New(fmt.Sprintf("LARGE%d", walks), "Large")
		step("taken-in", func() (err error) {
			p.Scene, _, err = h.Assets.ImportScene("large.glb", bytes.NewReader(file.Bytes()))
			return err
		})
		p.Views = []production.View{{Code: "v", Camera: "cam", Look: "plain"}}
		p.Shots = []production.Shot{
			{
				Code:     "010",
				View:     "v",
				Frames:   frame.MustParse("1001-11000"),
				Sizes:    []string{"hd"},
				PassList: "comp",
				Outputs:  []string{"master"},
				InBatch:  true,
			},
		}
		if err := h.Record.Create(p, store.Author{}); err != nil {
			b.Fatal(err)
		}
		step("report", page("/p/"+p.Code+"/scenes"))
		step("planned", func() error { _, err := plan.Build(p, plan.Measure{}); return err })
		step("batch-sheet", page("/p/"+p.Code+"/batch"))
		step("views-page", page("/p/"+p.Code+"/views?open=v"))
		step("first-preview", page("/p/"+p.Code+"/preview?view=v&step=0"))
		step(
			"next-preview",
			page("/p/"+p.Code+"/preview?view=v&step=0&try=view.place&set.side=above&set.x=-12&set.y=20"),
		)
		step("sharp-preview", page("/p/"+p.Code+"/preview?view=v&step=1"))
		step("pick", page("/p/"+p.Code+"/pick?view=v&at=0.5,0.6"))
		var memory runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&memory)
		b.ReportMetric(float64(memory.HeapInuse)/1e6, "MB-kept")
		b.ReportMetric(float64(memory.Sys)/1e6, "MB-peak")
		b.ReportMetric(float64(triangles), "triangles")
	}
}
