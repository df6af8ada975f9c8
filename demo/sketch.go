package demo

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
