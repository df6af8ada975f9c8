package demo

import (
	"reelhouse/core/frame"
	"reelhouse/core/production"
)

// SketchName is the name of the demo's second scene, and Sketch what is in it: the harbour as a flat sketch, which only
// the stand-in of another maker reads.
const SketchName = "harbour-sketch.hly"

// Sketch returns the scene file of that name.
func Sketch() string {
	return `halyard 1
# The Saltmarsh Ferry, as a sketch: dusk over the harbour.
sky   0.09 0.12 0.25   0.90 0.46 0.24
disc  0.72 0.50 0.06   3.0 1.7 0.8
water 0.42   0.05 0.10 0.14
disc  0.12 0.56 0.012  2.5 2.2 1.4
boat  0.12 0.47 0.03   0.45 0.42 0.38   0
boat  0.30 0.40 0.16   0.06 0.04 0.04   0.002
boat  0.62 0.30 0.07   0.10 0.05 0.03   -0.0006
`
}

// SketchCode is the code of the demo's second production.
const SketchCode = "SKETCH"

// SketchScene is what is known of the second scene, which is not read here.
func SketchScene() production.Opaque {
	return production.Opaque{Cameras: []string{"front"}, Seconds: 4}
}

// Sketches returns the second production: the ferry as flat sketches, which the stand-in of another maker renders. The
// second shot has a value by which some of its pictures are spoilt, which only an inspection finds; the last shot has a
// value by which the stand-in gives its pictures another size, so that its frames fail until the value is taken away.
func Sketches(scene production.SceneFile) production.Production {
	p := production.New(SketchCode, "The Saltmarsh Ferry, sketches")
	p.Scene = scene
	p.Standards = Standards()
	p.Deliveries = SketchDeliveries()
	p.Views = []production.View{{Code: "front", Name: "The harbour from the front", Camera: "front", Look: "plain"}}
	for i := range p.Qualities {
		p.Qualities[i].Samples = min(p.Qualities[i].Samples, 4)
	}
	shot := func(code, name string, last int, values ...production.Value) production.Shot {
		return production.Shot{
			Code: code, Name: name, View: "front", Frames: frame.Of(1001, last), Sizes: []string{"hd"},
			PassList: "minimum", Outputs: []string{"master"}, InBatch: true, Values: values,
		}
	}
	p.Shots = []production.Shot{
		shot("010", "Dusk over the harbour", 1024),
		shot("020", "The ferry puts out", 1048, production.Value{Key: "mood", Value: "blemish"}),
		shot(
			"030",
			"A sketch to mend: its pictures have another size",
			1003,
			production.Value{Key: "mood", Value: "size"},
		),
	}
	return p
}
