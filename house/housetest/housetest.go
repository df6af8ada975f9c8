// Package housetest makes small houses for tests.
package housetest

import (
	"bytes"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/house"
	"reelhouse/store"
)

// New returns a house with the production TEST, which has one small shot of the frames, and the batch that
// was sent of it. Before that it is changed, if anything is to be changed.
func New(t testing.TB, frames string, changes ...func(p *production.Production)) (*house.House, store.Batch) {
	t.Helper()
	h, err := house.Open(t.TempDir(), false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { h.Close() })
	s := &scene.Scene{Name: "floor", Roots: []int{0, 1}}
	s.Meshes = []scene.Mesh{{Name: "floor", Parts: []scene.Part{{
		Positions: []geom.Vec{
			{X: -9, Z: 9},
			{X: 9, Z: 9},
			{X: 0, Z: -9},
		}, Indices: []uint32{0, 1, 2}, Material: scene.None,
	}}}}
	s.Cameras = []scene.Camera{{Name: "cam", Up: 1, Aspect: 1.5}}
	floor, camera := scene.NewNode("floor"), scene.NewNode("cam")
	floor.Mesh, camera.Camera, camera.Translation = 0, 0, geom.Vec{Y: 2, Z: 5}
	s.Nodes = []scene.Node{floor, camera}
	var file bytes.Buffer
	if err := s.Write(&file); err != nil {
		t.Fatal(err)
	}
	kept, _, err := h.Assets.ImportScene("floor.glb", &file)
	if err != nil {
		t.Fatal(err)
	}
	p := production.New("TEST", "Test")
	p.Scene = kept
	p.Qualities[0].Scale, p.Qualities[0].Samples = raster.Reduction{Percent: 2}, 1
	p.Views = []production.View{{Code: "v", Camera: "cam", Look: "plain"}}
	p.Shots = []production.Shot{
		{
			Code:     "010",
			View:     "v",
			Frames:   frame.MustParse(frames),
			Sizes:    []string{"hd"},
			PassList: "comp",
			Outputs:  []string{"master"},
			InBatch:  true,
		},
	}
	for _, change := range changes {
		change(&p)
	}
	if err := h.Record.Create(p, store.Author{}); err != nil {
		t.Fatal(err)
	}
	id, err := h.SendDraft(p, house.Sending{})
	if err != nil {
		t.Fatal(err)
	}
	b, err := h.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	return h, b
}
