package demo

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// ferry is the heroine: she crosses, rolls a little, and carries two of the cameras.
func (b *builder) ferry() {
	red, cream := b.paint("ferry_red", v(0.32, 0.035, 0.03), 0.42), b.paint("ferry_cream", v(0.72, 0.66, 0.52), 0.5)
	wood, dark := b.paint("deck_wood", v(0.30, 0.19, 0.10), 0.8), b.paint("iron", v(0.06, 0.065, 0.07), 0.55)
	teal := b.paint("ferry_teal", v(0.03, 0.17, 0.18), 0.45)
	window := b.lit("cabin_light", v(2.6, 1.6, 0.7))
	body := hull{length: 17, beam: 5.6, draught: 1, side: 1.25, sheer: 0.75, transom: 0.82}

	hullNode := scene.NewNode("ferry")
	hullNode.Mesh = b.mesh("ferry",
		newShape(red).planking(body, 0, 0.62), newShape(cream).planking(body, 0.62, 1),
		newShape(wood).floor(body, 1.0, 0, 0.97))
	ferry := b.node(scene.None, hullNode)
	route := func(t float64) geom.Vec { return v(-16+4.3*t, 0.06*math.Sin(1.3*t), -4+0.42*t) }
	heading := geom.AxisAngle(v(0, 1, 0), -0.1)
	b.move(ferry, 0.25, route)
	b.animate(ferry, scene.Rotation, 0.25, func(t float64) geom.Quat {
		return heading.Mul(geom.AxisAngle(v(1, 0, 0), 0.022*math.Sin(1.7*t))).
			Mul(geom.AxisAngle(v(0, 0, 1), 0.012*math.Sin(1.3*t+0.6)))
	})

	cabin := newShape(cream).box(v(-1.6, 1.9, 0), v(6.4, 1.8, 3.3)).box(v(-0.3, 3.55, 0), v(2.3, 1.5, 2.4))
	roof := newShape(teal).box(v(-1.6, 2.86, 0), v(6.9, 0.14, 3.7)).box(v(-0.3, 4.36, 0), v(2.8, 0.14, 2.9))
	funnel := newShape(red).turned(v(-3.4, 2.9, 0), 18, ring{0.48, 0}, ring{0.42, 1.5}, ring{0.42, 1.5})
	black := newShape(dark).turned(v(-3.4, 4.4, 0), 18, ring{0.42, 0}, ring{0.42, 0.3}, ring{0.3, 0.3}, ring{0, 0.2})
	b.place(ferry, "ferry_cabin", b.mesh("ferry_cabin", cabin, roof, funnel, black), geom.Vec{}, 0, 1)

	panes := newShape(window)
	for _, side := range []float64{1, -1} {
		for i := range 5 {
			x := -4.2 + 1.3*float64(i)
			panes.box(v(x, 2.05, side*1.66), v(0.78, 0.72, 0.02))
		}
		panes.box(v(-0.3, 3.7, side*1.21), v(1.7, 0.7, 0.02))
	}
	panes.box(v(0.86, 3.7, 0), v(0.02, 0.7, 1.9))
	b.place(ferry, "ferry_windows", b.mesh("ferry_windows", panes), geom.Vec{}, 0, 1)

	rails := newShape(cream)
	for _, side := range []float64{1, -1} {
		last := geom.Vec{}
		for i := range 15 {
			p := body.skin(0.03+0.065*float64(i), 1, side)
			p.Z *= 0.96
			rails.beam(p, p.Add(v(0, 0.85, 0)), 0.06)
			if i > 0 {
				for _, h := range []float64{0.45, 0.85} {
					rails.beam(last.Add(v(0, h, 0)), p.Add(v(0, h, 0)), 0.05)
				}
			}
			last = p
		}
	}
	mast := newShape(wood).beam(v(0.6, 4.4, 0), v(0.5, 7.4, 0), 0.12).beam(v(0.55, 6.3, -0.9), v(0.55, 6.3, 0.9), 0.07)
	benches := newShape(wood)
	for i := range 3 {
		benches.box(v(3.0+1.1*float64(i), 1.42, 0), v(0.42, 0.1, 2.6)).
			box(v(3.0+1.1*float64(i), 1.2, 0), v(0.12, 0.4, 2.3))
	}
	b.place(ferry, "ferry_rails", b.mesh("ferry_rails", rails, mast, benches), geom.Vec{}, 0, 1)
	rings := newShape(b.paint("life_ring", v(0.75, 0.16, 0.05), 0.6))
	rings.hoop(v(-6.6, 1.25, 1.2), 0.36, 0.08).hoop(v(-6.6, 1.25, -1.2), 0.36, 0.08).hoop(v(5.9, 1.25, 0), 0.36, 0.08)
	b.place(ferry, "ferry_rings", b.mesh("ferry_rings", rings), geom.Vec{}, 0, 1)

	bulb := newShape(b.lit("masthead_bulb", v(16, 13, 9))).ball(v(0.5, 7.5, 0), 0.11)
	b.place(ferry, "ferry_masthead", b.mesh("ferry_masthead", bulb), geom.Vec{}, 0, 1)
	b.light(
		ferry, scene.Light{Name: "lamp_masthead", Kind: scene.Point, Color: v(1, 0.85, 0.6), Intensity: 9, Range: 30},
		v(0.75, 7.4, 0), geom.Quat{},
	)
	b.light(
		ferry, scene.Light{Name: "lamp_deck", Kind: scene.Point, Color: v(1, 0.7, 0.36), Intensity: 4.5, Range: 14},
		v(2.2, 3.6, 0), geom.Quat{},
	)

	b.camera(ferry, "cam_bow", v(9.6, 1.5, -2.2), v(40, 4.2, 3.5), 30)
	b.camera(ferry, "cam_alongside", v(13.5, 2.3, 13), v(-1.2, 2.6, 0), 32)
}

// dinghies bob at their moorings; eight cameras stand round the first.
func (b *builder) dinghies() {
	inside := b.paint("dinghy_wood", v(0.36, 0.23, 0.12), 0.7)
	body := hull{length: 3.7, beam: 1.5, draught: 0.22, side: 0.42, sheer: 0.2, transom: 0.75}
	places := []struct {
		x, z, turn float64
		color      geom.Vec
		mast       bool
	}{
		{
			33, 24, 160, v(0.05, 0.22, 0.42), true,
		}, {36.2, 16.5, 95, v(0.55, 0.12, 0.05), false}, {28, 29, 205, v(0.62, 0.55, 0.40), true},
		{
			37, -9, 80, v(0.06, 0.28, 0.20), false,
		}, {20, 33, 230, v(0.60, 0.36, 0.06), false}, {34.5, -20, 120, v(0.4, 0.06, 0.10), true},
		{-30, -38, 40, v(0.3, 0.33, 0.36), false},
	}
	for i, p := range places {
		name := numbered("dinghy", i+1)
		outside := newShape(b.paint(name, p.color, 0.4)).planking(body, 0, 1)
		wood := newShape(inside).floor(body, 0.02, 0, 0.95)
		for _, x := range []float64{-1.25, -0.2, 0.8} {
			wood.box(v(x, 0.26, 0), v(0.26, 0.05, 1.16-0.3*max(0, x)))
		}
		for _, side := range []float64{1, -1} {
			for j := range 14 {
				t := float64(j) / 14
				wood.beam(body.skin(t, 1, side), body.skin(t+1.0/14, 1, side), 0.06)
			}
		}
		wood.beam(v(-1.1, 0.34, 0.25), v(1.2, 0.4, 0.38), 0.05).beam(v(-1.0, 0.34, -0.2), v(1.2, 0.4, -0.36), 0.05)
		shapes := []*shape{outside, wood}
		if p.mast {
			wood.beam(v(0.55, 0.1, 0), v(0.5, 4.3, 0), 0.07)
			shapes = append(
				shapes,
				newShape(b.paint("sailcloth", v(0.62, 0.56, 0.46), 0.9)).beam(v(0.4, 0.95, 0), v(-1.6, 1.12, 0), 0.17),
			)
		}
		n := b.place(scene.None, name, b.mesh(name, shapes...), v(p.x, 0.02, p.z), p.turn, 1)
		b.bob(n, 0.06, 4, float64(i)*1.7)
	}
	b.camera(scene.None, "cam_turn", turnaround.Add(v(turnRadius, turnHeight, 0)), turnaround, 40)
}

// turnaround is the middle of the first dinghy, which eight views go round.
var turnaround = v(33, 1.9, 24)

// From where they see all of it, mast and keel.
const turnRadius, turnHeight = 10.8, 2.6
