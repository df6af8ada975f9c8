package grade

import (
	"fmt"
	"math"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// An Input is what a band of a picture is graded from. All of it has as many pixels as the picture.
type Input struct {
	Picture *pixel.Image               // R, G, B and perhaps A, which is changed
	Lights  map[pass.Code][3][]float32 // as Needed asks for them
	Whole   bool                       // Lights are all of the picture's light
	Mattes  map[string][]float32       // coverage by the codes of mattes
	Depth   []float32                  // metres, where the grade is masked by it
}

// Apply changes a band of a picture. A grade that changes nothing leaves it as it is, bit for bit.
func (g Grade) Apply(in Input) error {
	var rgb [3][]float32
	for c, name := range []string{"R", "G", "B"} {
		plane := in.Picture.Plane(name)
		if plane == nil {
			return fmt.Errorf("the picture has no %s", name)
		}
		rgb[c] = plane.Data
	}
	for _, code := range g.Mattes() {
		if len(in.Mattes[code]) != len(rgb[0]) {
			return fmt.Errorf("the matte %s is not there", code)
		}
	}
	if g.ByDepth() && len(in.Depth) != len(rgb[0]) {
		return fmt.Errorf("there is no depth")
	}
	if g.Relights() {
		g.relight(in, rgb)
	}
	var alpha []float32
	if a := in.Picture.Plane("A"); a != nil {
		alpha = a.Data
	}
	for _, s := range g.Done() {
		s.apply(in, rgb, alpha)
	}
	return nil
}

// relight replaces the picture by the sum of its lights, each with its gain; of lights that are not all of it, what
// they gain is added to the picture.
func (g Grade) relight(in Input, rgb [3][]float32) {
	type light struct {
		planes [3][]float32
		gain   [3]float64
	}
	var lights []light
	for _, code := range pass.Sorted(keys(in.Lights)) {
		gain := g.gainOf(code)
		if !in.Whole {
			for c := range gain {
				gain[c]--
			}
		}
		lights = append(lights, light{in.Lights[code], gain})
	}
	pixel.Bands(len(rgb[0]), func(first, behind int) {
		for c, plane := range rgb {
			to := plane[first:behind]
			if in.Whole {
				clear(to)
			}
			for _, l := range lights {
				gain := float32(l.gain[c])
				if gain == 0 {
					continue
				}
				from := l.planes[c][first:behind]
				for i := range to {
					to[i] += gain * from[i]
				}
			}
		}
	})
}

func keys(lights map[pass.Code][3][]float32) []pass.Code {
	var all []pass.Code
	for code := range lights {
		all = append(all, code)
	}
	return all
}

// apply does a step where its mask lets it. Colours are divided by alpha for it, where there is some, since what shines
// through a pixel is no part of its colour.
func (s Step) apply(in Input, rgb [3][]float32, alpha []float32) {
	gain := math.Exp2(s.Exposure)
	plain := s.CDL == Neutral() && !s.Clamped
	var coverage []float32
	if s.Mask.Matte != "" {
		coverage = in.Mattes[s.Mask.Matte]
	}
	everywhere := s.Mask == Mask{}
	pixel.Bands(len(rgb[0]), func(first, behind int) {
		for i := first; i < behind; i++ {
			m := 1.0
			if !everywhere {
				metres, covered := 0.0, 0.0
				if s.Mask.ByDepth() {
					metres = float64(in.Depth[i])
				}
				if coverage != nil {
					covered = float64(coverage[i])
				}
				if m = s.Mask.at(metres, covered); m == 0 {
					continue
				}
			}
			was := [3]float64{float64(rgb[0][i]), float64(rgb[1][i]), float64(rgb[2][i])}
			now := [3]float64{was[0] * gain, was[1] * gain, was[2] * gain}
			if !plain {
				a := 1.0
				if alpha != nil && alpha[i] > 0 && alpha[i] < 1 {
					a = float64(alpha[i])
				}
				for c := range now {
					now[c] = s.Space.Encode(now[c] / a)
				}
				now = s.CDL.Apply(now, s.Clamped)
				for c := range now {
					now[c] = s.Space.Decode(now[c]) * a
				}
			}
			for c := range now {
				if m < 1 {
					now[c] = was[c] + m*(now[c]-was[c])
				}
				rgb[c][i] = float32(now[c])
			}
		}
	})
}
