package demo

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// Seconds is how long the scene moves: frames 1001 to 1144 at 24 frames per second.
const Seconds = 143.0 / 24

// Scene builds the harbour of "The Saltmarsh Ferry". North is -Z; the ferry crosses from west to east,
// towards the quay. Lengths are metres.
func Scene() *scene.Scene {
	b := newBuilder("saltmarsh_ferry")
	b.water()
	b.banks()
	b.quay()
	b.village()
	b.lighthouse()
	b.ferry()
	b.dinghies()
	b.gulls()
	b.camera(scene.None, "cam_quay", v(44.2, 4.1, 25), v(6, 3.6, -5), 34)
	return b.scene
}

// water is a field of small waves that drifts, with flat water all around it.
func (b *builder) water() {
	sea := b.paint("water", v(0.012, 0.03, 0.035), 0.06)
	type wave struct{ length, height, heading, phase float64 }
	waves := []wave{
		{11, 0.075, 0.4, 0},
		{6.3, 0.05, -0.5, 1},
		{4.1, 0.032, 1.2, 2},
		{2.9, 0.022, 0.1, 3},
		{2.4, 0.016, -1.1, 4},
	}
	height := func(x, z float64) float64 {
		h := 0.0
		for _, w := range waves {
			s, c := math.Sincos(w.heading)
			h += w.height * math.Sin(2*math.Pi*(x*c+z*s)/w.length+w.phase)
		}
		return h
	}
	near := b.object("water", newShape(sea).ground(-80, -70, 66, 62, 130, 120, height))
	b.move(near, Seconds, func(t float64) geom.Vec { return v(0.35*t, 0, 0.2*t) })
	flat := func(x, z float64) float64 { return -0.28 }
	b.object("water_beyond", newShape(sea).ground(-420, -420, 420, 420, 4, 4, flat))
	ridge := func(x, z float64) float64 {
		return 7 + 5*math.Sin(x*0.021+1) + 3*math.Sin(x*0.053+z*0.03) + 2*math.Sin(x*0.11)
	}
	hill := b.paint("far_shore", v(0.07, 0.09, 0.06), 1)
	b.object("far_shore", newShape(hill).
		ground(-400, -330, 250, -250, 90, 8, func(x, z float64) float64 {
			return ridge(x,
				z)*math.Sin(math.Pi*(z+330)/80) - 1
		}).
		ground(-400, -250, -300, 300, 8, 70, func(x, z float64) float64 {
			return 0.8*ridge(z,
				x)*math.Sin(math.Pi*(x+400)/100) - 1
		}),
	)
}

// banks are the mud that the tide has left, with marsh grass on it.
func (b *builder) banks() {
	mud := b.paint("mud", v(0.085, 0.062, 0.045), 0.38)
	mounds := []struct{ x, z, wide, long, high float64 }{
		{
			-28, 26, 17, 9, 0.95,
		}, {-52, 14, 15, 12, 1.05}, {-4, -46, 19, 8, 0.85}, {16, -38, 11, 7, 0.7}, {-64, -22, 13, 18, 1.1},
		{10, 44, 16, 7, 0.9},
	}
	height := func(x, z float64) float64 {
		h := -0.45
		for _, m := range mounds {
			dx, dz := (x-m.x)/m.wide, (z-m.z)/m.long
			h += (m.high + 0.3) * math.Exp(-1.4*(dx*dx+dz*dz))
		}
		return h + 0.05*math.Sin(x*0.9+math.Sin(z*0.7)) + 0.035*math.Sin(z*1.7+x*0.4)
	}
	b.object("mudbanks", newShape(mud).ground(-95, -70, 36, 62, 72, 72, height))
	var clumps []int
	for i, green := range []geom.Vec{v(0.16, 0.17, 0.05), v(0.22, 0.19, 0.07), v(0.11, 0.15, 0.05)} {
		grass := newShape(b.paint(numbered("grass", i+1), green, 0.9))
		for range 70 {
			angle, r := b.between(0, 2*math.Pi), 0.75*math.Sqrt(b.random.Float64())
			foot, tall := v(r*math.Cos(angle), -0.1, r*math.Sin(angle)), b.between(0.45, 1.05)
			lean := v(b.between(-0.3, 0.3)+0.14, tall, b.between(-0.3, 0.3))
			side := v(math.Sin(angle*3), 0, math.Cos(angle*3)).Scale(0.022)
			middle := foot.Add(lean.Scale(0.55)).Add(v(-lean.X*0.2, tall*0.08, -lean.Z*0.2))
			grass.quad(foot.Sub(side), foot.Add(side), middle.Add(side.Scale(0.7)), middle.Sub(side.Scale(0.7)))
			grass.triangle(middle.Sub(side.Scale(0.7)), middle.Add(side.Scale(0.7)), foot.Add(lean))
		}
		clumps = append(clumps, b.mesh(numbered("grass_clump", i+1), grass))
	}
	for i := 1; i <= 320; {
		m := mounds[b.random.IntN(len(mounds))]
		x, z := m.x+b.random.NormFloat64()*m.wide*0.42, m.z+b.random.NormFloat64()*m.long*0.42
		if h := height(x, z); h > 0.22 {
			b.place(scene.None, numbered("grass", i), clumps[i%3], v(x, h, z), b.between(0, 360), b.between(0.7, 1.3))
			i++
		}
	}
}

// gulls circle over the harbour, beating their wings.
func (b *builder) gulls() {
	white, grey := b.paint("gull_white", v(0.75, 0.75, 0.73), 0.8), b.paint("gull_grey", v(0.3, 0.32, 0.35), 0.8)
	body := b.mesh("gull_body", newShape(white).ball(v(0, 0, 0), 0.11).beam(v(-0.34, 0.02, 0), v(0.26, 0.02, 0), 0.09))
	wing := b.mesh("gull_wing", newShape(grey).
		quad(v(-0.1, 0, 0), v(0.12, 0, 0), v(0.08, 0.09, -0.42), v(-0.1, 0.09, -0.42)).
		triangle(v(-0.1, 0.09, -0.42), v(0.08, 0.09, -0.42), v(-0.16, 0.02, -0.85)))
	for i, g := range []struct{ x, y, z, radius, start, turn float64 }{
		{14, 9, -2, 7, 0.5, 0.42}, {4, 11, -12, 9, 2.4, 0.36}, {24, 8, 6, 5, 4, -0.5}, {-12, 13, -22, 11, 1.2, 0.3},
		{30, 7.4, 12, 4, 5.3, 0.55}, {-2, 10, 10, 8, 3.1, -0.33},
	} {
		gull := b.place(scene.None, numbered("gull", i+1), body, geom.Vec{}, 0, 1.5)
		b.move(gull, 0.25, func(t float64) geom.Vec {
			sin, cos := math.Sincos(g.start + g.turn*t)
			return v(g.x+g.radius*cos, g.y+0.4*math.Sin(t+g.start), g.z+g.radius*sin)
		})
		b.animate(gull, scene.Rotation, 0.25, func(t float64) geom.Quat {
			angle := -(g.start + g.turn*t) - math.Copysign(math.Pi/2, g.turn)
			return geom.AxisAngle(v(0, 1, 0), angle).Mul(geom.AxisAngle(v(1, 0, 0), -0.3*math.Copysign(1, -g.turn)))
		})
		for side, name := range []string{"left", "right"} {
			w := b.place(gull, numbered("gull", i+1)+"_"+name, wing, geom.Vec{}, 0, 1)
			if side == 1 {
				b.scene.Nodes[w].Scale.Z = -1
			}
			b.animate(w, scene.Rotation, 0.125, func(t float64) geom.Quat {
				beat := 0.25 + 0.5*math.Sin(2*math.Pi*(1.6*t+float64(i)*0.37))
				if side == 1 {
					beat = -beat
				}
				return geom.AxisAngle(v(1, 0, 0), beat)
			})
		}
	}
}
