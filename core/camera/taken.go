package camera

import (
	"math"

	"reelhouse/core/geom"
)

// How far keys that are found for a movement may be from it: metres, and degrees.
const (
	keyMetres  = 0.001
	keyDegrees = 0.01
)

// KeysOf returns the motion that goes through where a camera stands in frames from first on, with as few keys as keep
// within a millimetre and a hundredth of a degree; straight between them (the method of Ramer, Douglas and Peucker).
func KeysOf(stands []Stand, first int) *Motion {
	for i := range stands {
		stands[i].Heading = math.Mod(stands[i].Heading+360, 360)
	}
	m := &Motion{}
	add := func(i int) { m.Keys = append(m.Keys, Key{Frame: first + i, Stand: stands[i], Ease: Linear}) }
	var between func(a, b int)
	between = func(a, b int) {
		worst, at := 1.0, -1
		for i := a + 1; i < b; i++ {
			t := float64(i-a) / float64(b-a)
			if off := stands[i].off(stands[a], stands[b], t); off > worst {
				worst, at = off, i
			}
		}
		if at >= 0 {
			between(a, at)
			add(at)
			between(at, b)
		}
	}
	last := len(stands) - 1
	add(0)
	if last > 0 {
		between(0, last)
		add(last)
	}
	return m
}

// off returns how far a stand lies from a part of the way between two, 1 being as far as is allowed.
func (s Stand) off(a, b Stand, t float64) float64 {
	place := a.Position.Scale(1 - t).Add(b.Position.Scale(t))
	turn := func(of func(Stand) float64) float64 {
		return math.Abs(shorter(of(a)+t*shorter(of(a), of(b)), of(s))) / keyDegrees
	}
	return max(
		s.Position.Sub(place).Length()/keyMetres, turn(func(s Stand) float64 { return s.Heading }),
		turn(func(s Stand) float64 { return s.Tilt }), turn(func(s Stand) float64 { return s.Roll }),
	)
}

// Around returns a stand that looks at a box from the south and a little from above, so that a camera of the view's own
// begins with all of it in its picture.
func Around(box geom.Box) Stand {
	size := box.Size().Length()
	if !(size > 0) {
		size = 1
	}
	middle := box.Centre()
	stand := Stand{Position: middle.Add(geom.Vec{Y: 0.25 * size, Z: 1.1 * size})}
	if aimed, err := stand.Aimed(middle); err == nil {
		stand = aimed
	}
	round := func(v *float64) { *v = math.Round(*v*1000) / 1000 }
	for _, v := range []*float64{
		&stand.Position.X, &stand.Position.Y, &stand.Position.Z, &stand.Heading, &stand.Tilt,
	} {
		round(v)
	}
	return stand
}
