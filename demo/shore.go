package demo

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// quay is a wooden deck on piles along x = 41 to 48, with lamps, bollards and what lies about.
func (b *builder) quay() {
	planks := []*shape{
		newShape(
			b.paint("plank_1", v(0.26, 0.17, 0.10), 0.85),
		), newShape(b.paint("plank_2", v(0.21, 0.145, 0.09), 0.85)),
		newShape(b.paint("plank_3", v(0.30, 0.21, 0.13), 0.85)),
	}
	for i := range 190 {
		z := -34 + 0.36*float64(i)
		planks[b.random.IntN(3)].box(v(44.5+b.between(-0.06, 0.06), 1.6, z), v(7, 0.1, 0.335))
	}
	b.object("quay_deck", planks...)
	dark := newShape(b.paint("pile", v(0.075, 0.055, 0.04), 0.75))
	for i := range 18 {
		for _, x := range []float64{41.2, 44.5, 47.7} {
			dark.post(v(x, -1.5, -33.6+4*float64(i)), 0.2, 3.1)
		}
		dark.beam(v(41, 1.42, -33.6+4*float64(i)), v(48, 1.42, -33.6+4*float64(i)), 0.26)
		if i < 17 {
			z := -33.6 + 4*float64(i)
			dark.beam(v(41.2, 0.2, z), v(41.2, 1.4, z+4), 0.14)
		}
	}
	dark.beam(v(41.05, 1.4, -34), v(41.05, 1.4, 34.4), 0.24)
	b.object("quay_piles", dark)

	iron := b.paint("iron", v(0.06, 0.065, 0.07), 0.55)
	bollard := b.mesh(
		"bollard",
		newShape(
			iron,
		).turned(geom.Vec{}, 14, ring{0.2, 0}, ring{0.16, 0.1}, ring{0.15, 0.45}, ring{0.24, 0.55}, ring{0.22, 0.66},
			ring{0, 0.7}),
	)
	for i := range 7 {
		b.place(scene.None, numbered("bollard", i+1), bollard, v(41.6, 1.65, -29+9.5*float64(i)), 0, 1)
	}
	bulb := b.lit("quay_bulb", v(10, 6.4, 3))
	post := b.mesh("lamp_post", newShape(iron).post(geom.Vec{}, 0.07, 4.1).beam(v(0, 4.05, 0), v(-0.9, 4.25, 0), 0.06).
		turned(v(-0.9, 3.98, 0), 12, ring{0.3, 0}, ring{0.06, 0.26}, ring{0, 0.28}),
		newShape(bulb).ball(v(-0.9, 3.93, 0), 0.14))
	for i := range 5 {
		z := -27 + 13*float64(i)
		b.place(scene.None, numbered("lamp_post", i+1), post, v(47.2, 1.65, z), 0, 1)
		b.light(
			scene.None,
			scene.Light{
				Name:      numbered("lamp_quay", i+1),
				Kind:      scene.Point,
				Color:     v(1, 0.68, 0.34),
				Intensity: 14,
				Range:     22,
			},
			v(46.3, 5.3, z),
			geom.Quat{},
		)
	}

	crate := newShape(b.paint("crate", v(0.34, 0.22, 0.11), 0.85))
	for _, c := range []struct{ x, y, z, size float64 }{{46.4, 2.05, 17.2, 0.8}, {46.5, 2.05, 16.3, 0.8},
		{46.45, 2.8, 16.8, 0.7}, {45.5, 1.95, 16.6, 0.6}, {46.6, 2.05, -4, 0.8}, {45.8, 2, -4.4, 0.7}} {
		crate.box(v(c.x, c.y, c.z), v(c.size, c.size, c.size))
	}
	b.object("crates", crate)
	barrel := newShape(b.paint("barrel", v(0.16, 0.09, 0.05), 0.6))
	for _, at := range []geom.Vec{v(42.6, 1.65, 12.4), v(43.3, 1.65, 12.9), v(46.5, 1.65, 5)} {
		barrel.turned(at, 16, ring{0.27, 0}, ring{0.35, 0.3}, ring{0.35, 0.6}, ring{0.27, 0.9}, ring{0, 0.9})
	}
	b.object("barrels", barrel)
	rope := newShape(b.paint("rope", v(0.45, 0.36, 0.22), 0.95))
	for i := range 4 {
		rope.hoop(v(42.4, 1.69+0.07*float64(i), 18.6), 0.42-0.05*float64(i), 0.045)
	}
	b.object("rope", rope)
}

// village is a row of gabled houses on a stone embankment behind the quay.
func (b *builder) village() {
	stone := b.paint("stone", v(0.20, 0.19, 0.17), 0.95)
	b.object("embankment", newShape(stone).box(v(74, 0, 0), v(52, 4.2, 120)).box(v(48.6, 2.2, 0), v(0.9, 0.5, 120)))
	roofs := []int{b.paint("roof_slate", v(0.085, 0.09, 0.105), 0.6), b.paint("roof_tile", v(0.26, 0.085, 0.05), 0.8)}
	white, dark := b.paint("trim", v(0.7, 0.68, 0.62), 0.7), b.paint("door", v(0.045, 0.09, 0.10), 0.5)
	warm := []int{
		b.lit("window_warm", v(1.9, 1.1, 0.4)), b.lit("window_lamp", v(2.7, 1.8, 0.85)),
		b.paint("window_dark", v(0.02, 0.025, 0.035), 0.08),
	}
	for i, h := range []struct {
		x, z, wide, deep, wall, roof float64
		color                        geom.Vec
	}{
		{58, -41, 8, 8, 5.2, 3.6, v(0.50, 0.36, 0.18)}, {57, -30, 7, 8, 6.4, 3.4, v(0.42, 0.13, 0.10)},
		{58.5, -19, 9, 8, 5, 4, v(0.60, 0.56, 0.48)},
		{57, -8, 7, 8, 7.2, 3.2, v(0.14, 0.26, 0.30)}, {58, 3, 8, 8, 5.4, 3.8, v(0.52, 0.42, 0.14)},
		{57.2, 14, 7.5, 8, 6.2, 3.6, v(0.50, 0.24, 0.16)},
		{58.4, 25, 8.5, 8, 5, 3.9, v(0.36, 0.42, 0.34)}, {57.5, 36, 7, 8, 6.8, 3.3, v(0.56, 0.50, 0.44)},
		{70, -24, 10, 9, 8, 4.2, v(0.44, 0.38, 0.3)}, {71, 9, 10, 9, 8.6, 4, v(0.48, 0.2, 0.14)},
	} {
		wall := newShape(b.paint(numbered("wall", i+1), h.color, 0.9)).box(v(0, h.wall/2, 0), v(h.deep, h.wall, h.wide))
		wall.triangle(v(-h.deep/2, h.wall, -h.wide/2), v(-h.deep/2, h.wall, h.wide/2), v(-h.deep/2, h.wall+h.roof, 0))
		wall.triangle(v(h.deep/2, h.wall, h.wide/2), v(h.deep/2, h.wall, -h.wide/2), v(h.deep/2, h.wall+h.roof, 0))
		d, w := h.deep/2+0.35, h.wide/2+0.4
		drop := h.roof * 0.4 / (h.wide / 2)
		roof := newShape(roofs[i%2]).
			quad(v(-d, h.wall-drop, w), v(d, h.wall-drop, w), v(d, h.wall+h.roof, 0), v(-d, h.wall+h.roof, 0)).
			quad(v(d, h.wall-drop, -w), v(-d, h.wall-drop, -w), v(-d, h.wall+h.roof, 0), v(d, h.wall+h.roof, 0))
		trim := newShape(white).box(v(1.2, h.wall+h.roof*0.8, h.wide*0.22), v(0.8, 1.9, 0.8))
		glass := []*shape{newShape(warm[0]), newShape(warm[1]), newShape(warm[2])}
		front := -h.deep / 2
		for floor := 0; float64(floor)*2.6+2.4 < h.wall; floor++ {
			count := int(h.wide / 2)
			for j := range count {
				z, y := (float64(j)-float64(count-1)/2)*1.75, 1.5+2.6*float64(floor)
				if floor == 0 && j == count/2 {
					continue // the door
				}
				trim.box(v(front-0.02, y, z), v(0.12, 1.42, 1.02))
				glass[[]int{0, 1, 2, 0}[b.random.IntN(4)]].box(v(front-0.07, y, z), v(0.06, 1.22, 0.82))
			}
		}
		count := int(h.wide / 2)
		door := newShape(dark).box(v(front-0.05, 1.05, (float64(count/2)-float64(count-1)/2)*1.75), v(0.12, 2.1, 1.0))
		glass[1].box(v(front-0.05, h.wall+h.roof*0.35, 0), v(0.06, 0.9, 0.7))
		shapes := []*shape{wall, roof, trim, door}
		for _, g := range glass {
			if len(g.part.Indices) > 0 {
				shapes = append(shapes, g)
			}
		}
		b.place(scene.None, numbered("house", i+1), b.mesh(numbered("house", i+1), shapes...), v(h.x, 2.1, h.z), 0, 1)
	}
}

// lighthouse stands on a rock in the north-west; its lamp turns once in 12 s, clockwise seen from above.
func (b *builder) lighthouse() {
	foot := v(-24, 0, -30)
	rock := newShape(b.paint("rock", v(0.11, 0.10, 0.095), 0.9))
	rock.surface(48, 20, true, func(a, c float64) (geom.Vec, geom.Vec) {
		at := func(a, c float64) geom.Vec {
			sin, cos := math.Sincos(2 * math.Pi * a)
			up, across := math.Sincos(math.Pi * (c - 0.5))
			r := 1 + 0.14*math.Sin(7*2*math.Pi*a+3*c*math.Pi)*across + 0.09*math.Sin(13*2*math.Pi*a-8*c)*across
			return v(cos*across*8.5*r, min(1.55, up*3.0*r), -sin*across*7*r)
		}
		const e = 1e-3
		n := at(a+e, c).Sub(at(a-e, c)).Cross(at(a, min(1, c+e)).Sub(at(a, max(0, c-e))))
		if n.Length() < 1e-9 {
			n = v(0, 1, 0)
		}
		return foot.Add(at(a, c)), n
	})
	b.object("rock", rock)

	white, red := b.paint("lighthouse_white", v(0.74, 0.72, 0.68), 0.6), b.paint(
		"lighthouse_red", v(0.46, 0.055, 0.045), 0.5,
	)
	iron := b.paint("iron", v(0.06, 0.065, 0.07), 0.55)
	radius := func(h float64) float64 { return 2.35 - 0.075*h }
	bands := []*shape{newShape(white), newShape(red)}
	for i := range 6 {
		low, high := 2.35*float64(i), 2.35*float64(i+1)
		bands[i%2].turned(foot.Add(v(0, 1.4, 0)), 40, ring{radius(low), low}, ring{radius(high), high})
	}
	top := newShape(
		iron,
	).turned(foot.Add(v(0, 15.5, 0)), 32, ring{1.4, -0.3}, ring{2.1, 0}, ring{2.1, 0.18}, ring{0, 0.18})
	for i := range 12 {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / 12)
		at := foot.Add(v(1.95*cos, 15.6, 1.95*sin))
		top.beam(at, at.Add(v(0, 1, 0)), 0.06)
		sin2, cos2 := math.Sincos(2 * math.Pi * float64(i+1) / 12)
		top.beam(at.Add(v(0, 1, 0)), foot.Add(v(1.95*cos2, 16.6, 1.95*sin2)), 0.05)
		if i%2 == 0 {
			bar := foot.Add(v(1.08*cos, 15.6, 1.08*sin))
			top.beam(bar, bar.Add(v(0, 1.9, 0)), 0.07)
		}
	}
	top.turned(foot.Add(v(0, 17.5, 0)), 24, ring{1.35, 0}, ring{0.2, 0.95}, ring{0.08, 1.5}, ring{0, 1.6})
	windows := newShape(b.lit("window_warm", v(1.9, 1.1, 0.4)))
	windows.box(foot.Add(v(1.85, 6, 1.1)), v(0.5, 0.8, 0.5)).box(foot.Add(v(1.6, 10.5, 1.0)), v(0.5, 0.7, 0.5))
	b.object("lighthouse", append(bands, top, windows)...)

	lens := b.lit("lighthouse_lens", v(14, 12, 9))
	lamp := b.place(
		scene.None,
		"lighthouse_lamp",
		b.mesh(
			"lighthouse_lamp",
			newShape(lens).turned(geom.Vec{}, 20, ring{0.3, -0.7}, ring{0.55, -0.3}, ring{0.55, 0.3}, ring{0.3, 0.7}),
		),
		foot.Add(v(0, 16.5, 0)),
		0,
		1,
	)
	b.animate(
		lamp,
		scene.Rotation,
		1,
		func(t float64) geom.Quat { return geom.AxisAngle(v(0, 1, 0), -0.9-t*math.Pi/6) },
	)
	for i, name := range []string{"lamp_beam_1", "lamp_beam_2"} {
		turn := geom.AxisAngle(v(0, 1, 0), float64(i)*math.Pi).Mul(geom.AxisAngle(v(1, 0, 0), -0.12))
		b.light(
			lamp,
			scene.Light{
				Name:      name,
				Kind:      scene.Spot,
				Color:     v(1, 0.93, 0.78),
				Intensity: 2600,
				Range:     160,
				InnerCone: 0.06,
				OuterCone: 0.22,
			},
			geom.Vec{},
			turn,
		)
	}
	b.camera(scene.None, "cam_lighthouse", foot.Add(v(2.0, 17.6, 1.6)), v(40, 1.5, 6), 30)
}
