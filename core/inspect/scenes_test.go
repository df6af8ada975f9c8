package inspect

import (
	"bytes"
	"math"
	"math/rand/v2"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// Scenes that move, painted by formulas, so that it is known of every frame that nothing is wrong with it. Thresholds
// were chosen with the first eight; stadium and tank were painted afterwards, and nothing was changed for them.

const (
	testWidth, testHeight = 320, 136
	testFrames            = 48
	firstFrame            = 1001
)

// A painting gives the light at a point, from 0 to 1 down and from 0 to the aspect ratio across, of a frame.
type painting struct {
	name  string
	light func(x, y float64, frame int) (r, g, b float64)
	noise float64  // standard deviation at a light of 1
	alike []string // jumps that are not found, since much there looks alike
}

func (p painting) frame(n int, noise float64, seed uint64) *pixel.Image {
	img := pixel.New(testWidth, testHeight, "R", "G", "B", "A")
	for i := range img.Planes {
		img.Planes[i].Half = true
	}
	random := rand.New(rand.NewPCG(seed, uint64(n)))
	for y := range testHeight {
		for x := range testWidth {
			var sum [3]float64
			for s := range 2 {
				u, v := float64(x)+0.25+0.5*float64(s), float64(y)+0.25+0.5*float64(s)
				r, g, b := p.light(u/testHeight, v/testHeight, n)
				sum[0], sum[1], sum[2] = sum[0]+r/2, sum[1]+g/2, sum[2]+b/2
			}
			for c, v := range sum {
				v += noise * p.noise * math.Sqrt(v+0.01) * random.NormFloat64()
				img.Planes[c].Data[y*testWidth+x] = float32(max(0, v))
			}
			img.Planes[3].Data[y*testWidth+x] = 1
		}
	}
	return img
}

// painted measures an image as it comes from a file.
func painted(t testing.TB, number int, img *pixel.Image) measured {
	t.Helper()
	e := output.EXR.Usual()
	e.Compression = output.RLE
	var b bytes.Buffer
	if err := picture.Encode(&b, e, img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	f, err := picture.Open(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	m, err := measureFrame(number, f)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func (p painting) sequence(t testing.TB, seed uint64) []measured {
	all := make([]measured, testFrames)
	for n := range all {
		all[n] = painted(t, firstFrame+n, p.frame(n, 1, seed))
	}
	return all
}

// disc is 1 within a circle, and 0 outside.
func disc(x, y, cx, cy, radius float64) float64 {
	if math.Hypot(x-cx, y-cy) < radius {
		return 1
	}
	return 0
}

// grain is a value from 0 to 1 for a place of a lattice.
func grain(x, y, seed int) float64 {
	h := uint64(x)*0x9e3779b97f4a7c15 ^ uint64(y)*0xc2b2ae3d27d4eb4f ^ uint64(seed)*0x165667b19e3779f9
	h ^= h >> 29
	h *= 0xbf58476d1ce4e5b9
	h ^= h >> 32
	return float64(h%10007) / 10007
}

// cloudy is a soft pattern.
func cloudy(x, y float64, seed int) float64 {
	sum, weight := 0.0, 0.5
	for range 4 {
		fx, fy := math.Floor(x), math.Floor(y)
		u, v := x-fx, y-fy
		u, v = u*u*(3-2*u), v*v*(3-2*v)
		i, j := int(fx), int(fy)
		top := grain(i, j, seed)*(1-u) + grain(i+1, j, seed)*u
		bottom := grain(i, j+1, seed)*(1-u) + grain(i+1, j+1, seed)*u
		sum += weight * (top*(1-v) + bottom*v)
		x, y, weight = 2*x, 2*y, weight/2
	}
	return sum
}

// pier: a camera that stands, a low sun, water that glitters, a boat that passes, birds.
var pier = painting{name: "pier", noise: 0.05, light: func(x, y float64, frame int) (r, g, b float64) {
	t := float64(frame)
	if y > 0.5 {
		wave := math.Sin(60*(y-0.5)/(0.2+y-0.5)+t*0.35+3*math.Sin(9*x)) * math.Sin(30*x+t*0.2)
		r, g, b = 0.15+0.1*wave, 0.17+0.1*wave, 0.25+0.1*wave
		if math.Abs(x-1.2) < 0.25 && grain(int(x*160), int(y*136), frame) > 0.985 {
			return 9, 7, 4 // glitter
		}
	} else {
		r, g, b = 0.7-y*0.5+0.2*cloudy(4*x+t*0.01, 6*y, 1), 0.5-y*0.3, 0.4
		if disc(x, y, 1.2, 0.4, 0.05) > 0 {
			return 25, 18, 8
		}
		if disc(x, y, 0.3+t*0.02, 0.2+0.02*math.Sin(t), 0.012) > 0 {
			return 0.02, 0.02, 0.02
		}
	}
	if px := x - 0.4 - t*0.012; math.Abs(px) < 0.2 && y > 0.42 && y < 0.6 {
		return 0.3 * cloudy(20*px, 20*y, 2), 0.2, 0.1
	}
	return r, g, b
}}

// corridor: a camera that moves on between walls, lamps, deep shadow.
var corridor = painting{name: "corridor", noise: 0.08, light: func(x, y float64, frame int) (r, g, b float64) {
	x, y = x-testWidth/2.0/testHeight, y-0.5
	d := max(math.Abs(x)*0.8, math.Abs(y))
	if d < 0.06 {
		return 0, 0, 0
	}
	z := 0.5/d + float64(frame)*0.07
	side := x / d
	if math.Abs(y) >= d {
		side = y/d + 10
	}
	v := (0.2 + 0.6*cloudy(6*z, 3*(x+y)/d, int(side))) * min(1, 2*d)
	if math.Mod(z, 2) < 0.15 && y < 0 && math.Abs(y) >= d && math.Abs(x) < 0.3*d {
		return 6, 5.5, 4.5
	}
	return v, 0.8 * v, 0.6 * v
}}

// forest: a fast pan past trunks, those that are near faster, with two hard cuts.
var forest = painting{
	name:  "forest",
	noise: 0.06,
	alike: []string{"mirrored"},
	light: func(x, y float64, frame int) (r, g, b float64) {
		shot := frame / 17
		t := float64(frame)*[]float64{0.09, -0.13, 0.05}[shot] + 20*float64(shot)
		r, g, b = 0.5+0.3*cloudy(3*(x+0.2*t), 4*y, 3+shot), 0.6, 0.5+0.2*float64(shot)
		if y > 0.75 {
			v := 0.3 * cloudy(12*(x+t), 20*y, 4)
			r, g, b = v, 1.2*v, 0.5*v
		}
		for layer, speed := range []float64{0.4, 0.7, 1} {
			at := (x + speed*t) * (3 - 0.7*float64(layer))
			trunk := math.Floor(at)
			if edge := at - trunk; grain(int(trunk), layer, shot) > 0.4 && edge < 0.25 && y < 0.7+0.1*float64(layer) {
				v := (0.5 - 0.2*float64(layer)) * cloudy(30*edge, 8*y+trunk, layer)
				r, g, b = v, 0.8*v, 0.6*v
			}
		}
		return r, g, b
	},
}

// fair: night, a hand-held camera, a wheel that turns, many small lamps of which some blink, grainy, with smoke.
var fair = painting{name: "fair", noise: 0.15, light: func(x, y float64, frame int) (r, g, b float64) {
	t := float64(frame)
	x, y = x+0.012*math.Sin(1.7*t)+0.008*math.Sin(2.9*t), y+0.01*math.Cos(2.1*t)
	v := 0.02 + 0.06*cloudy(2*x+0.05*t, 2*y-0.03*t, 5)
	r, g, b = v, v, 1.3*v
	if y > 0.8 {
		v := 0.1 * cloudy(15*x, 15*y, 6)
		r, g, b = v, v, v
	}
	dx, dy := x-1.2, y-0.42
	turn := math.Atan2(dy, dx) + 0.06*t
	switch radius := math.Hypot(dx, dy); {
	case math.Abs(radius-0.34) < 0.01 || radius < 0.34 && math.Abs(math.Mod(turn+10, math.Pi/4)-0.2) < 0.02:
		r, g, b = 0.4, 0.1, 0.1
	case radius > 0.35 && radius < 0.37 && math.Abs(math.Mod(turn+10, math.Pi/8)-0.2) < 0.025:
		r, g, b = 5, 4, 2
	}
	for lamp := range 12 {
		cx, cy := 0.1+0.19*float64(lamp), 0.7+0.05*grain(lamp, 1, 7)
		blinks := lamp%4 == 0 && math.Mod(t+3*float64(lamp), 8) < 4
		if disc(x, y, cx, cy, 0.012) > 0 && !blinks {
			r, g, b = 8, 6, 3
		}
	}
	return r, g, b
}}

// market: a camera that pans now and then, people who hurry past each other, stalls in a pattern that comes again and
// again, so that other parts of it look alike, a cut.
var market = painting{
	name:  "market",
	noise: 0.09,
	alike: []string{"another frame", "moved aside"},
	light: func(x, y float64, frame int) (r, g, b float64) {
		t := float64(frame)
		pan := 0.3 * math.Sin(t*0.12)
		if frame >= 26 {
			x, pan = 2.35-x, 1+0.06*t
		}
		u := x + pan
		v := 0.25 + 0.35*math.Mod(math.Floor(14*u)+math.Floor(10*y), 2)
		r, g, b = v, 0.7*v, 0.5*v
		if y < 0.3 {
			r, g, b = 0.9-y+0.3*cloudy(3*u, 5*y, 8), 0.9-y, 1.1-y
		}
		for who := range 9 {
			speed := 0.03 + 0.05*grain(who, 2, 9)
			if who%2 == 0 {
				speed = -speed
			}
			at := math.Mod(3*grain(who, 3, 9)+speed*t+30, 3) - 0.3
			if px, py := u-pan-at, y-0.55-0.02*math.Sin(t+float64(who)); math.Abs(px) < 0.05 && math.Abs(py) < 0.25 {
				r, g, b = 0.5*grain(who, 4, 9), 0.3*cloudy(30*px, 20*py, who), 0.4*grain(who, 5, 9)
			}
		}
		if disc(x, y, 1.9-pan*0.5, 0.12, 0.03) > 0 {
			return 12, 11, 9
		}
		return r, g, b
	},
}

// canyon: a flight that turns, sun and deep shadow, haze, two cuts, the last shot with a camera at rest.
var canyon = painting{name: "canyon", noise: 0.05, light: func(x, y float64, frame int) (r, g, b float64) {
	t, shot := float64(frame), 0
	switch {
	case frame >= 34:
		t, shot = 0.02*t, 2
	case frame >= 15:
		t, shot = 1.6*t, 1
	}
	x, y = x-1.18, y-0.5
	roll := 0.25 * math.Sin(0.15*t+float64(shot))
	x, y = x*math.Cos(roll)-y*math.Sin(roll), x*math.Sin(roll)+y*math.Cos(roll)
	ridge := 0.25*cloudy(2*x+0.1*t, float64(shot), 11) - 0.2
	if y < ridge {
		v := 0.5 + 0.5*(ridge-y)
		if disc(x, y, 0.5-0.01*t, -0.4, 0.06) > 0 {
			return 30, 25, 18
		}
		return v, 1.1 * v, 1.4 * v
	}
	z := 1 / (0.08 + y - ridge)
	ground := cloudy(6*x*z*0.2+3*float64(shot), 4*z+0.5*t, 12)
	v, haze := 0.7*ground*ground, min(0.8, z*0.06)
	if cloudy(1.5*x*z*0.2, z+0.12*t, 13) > 0.55 {
		v *= 0.1
	}
	return v*(1-haze) + 0.6*haze, 0.7*v*(1-haze) + 0.65*haze, 0.5*v*(1-haze) + 0.8*haze
}}

// train: the view from a train, poles close by that rush past, houses, hills far away, a tunnel's end.
var train = painting{
	name:  "train",
	noise: 0.07,
	alike: []string{"another frame"},
	light: func(x, y float64, frame int) (r, g, b float64) {
		t := float64(frame)
		r, g, b = 0.6-0.3*y, 0.7-0.2*y, 0.9
		if y > 0.45+0.15*cloudy(1.5*(x+0.01*t), 0, 21) {
			v := 0.3 + 0.3*cloudy(5*(x+0.01*t), 5*y, 22)
			r, g, b = 0.6*v, v, 0.5*v
		}
		if at := (x + 0.05*t) * 1.3; y > 0.5 && y < 0.72 && grain(int(math.Floor(at)), 1, 23) > 0.5 {
			wall, in := cloudy(9*at, 9*y, 24), at-math.Floor(at)
			if r, g, b = 0.5*wall, 0.4*wall, 0.35*wall; in > 0.3 && in < 0.5 && y > 0.56 && y < 0.64 {
				r, g, b = 2, 1.6, 0.9
			}
		}
		if y > 0.72 {
			v := 0.25 * cloudy(18*(x+0.11*t), 30*y, 25)
			r, g, b = v, 0.9*v, 0.7*v
		}
		if at := math.Mod(x+0.17*t, 1.1); at < 0.04 {
			r, g, b = 0.03, 0.03, 0.03
		}
		if frame < 6 {
			dark := 0.05 + 0.95*math.Pow(float64(frame)/6, 2)
			r, g, b = r*dark, g*dark, b*dark
		}
		return r, g, b
	},
}

// snow: a street by night in heavy snow, a car with headlamps that comes nearer, a cut to a close view of it.
var snow = painting{
	name:  "snow",
	noise: 0.11,
	light: func(x, y float64, frame int) (r, g, b float64) {
		t, near := float64(frame), 1.0
		if frame >= 30 {
			near, x, y = 2.5, 0.9+(x-1.18)/2.5, 0.62+(y-0.5)/2.5
		}
		v := 0.05 + 0.12*cloudy(3*x, 3*y, 31)
		r, g, b = v, v, 1.4*v
		if y > 0.7 {
			v := 0.2 + 0.2*cloudy(8*x, 20*y, 32)
			r, g, b = v, v, 1.1*v
		}
		size := 0.03 + 0.0012*t
		cx, cy := 0.8+0.004*t, 0.62+0.001*t
		if math.Abs(x-cx) < 2.5*size && math.Abs(y-cy) < 1.3*size {
			r, g, b = 0.1+0.2*cloudy((x-cx)/size*3, (y-cy)/size*3, 33), 0.05, 0.05
		}
		if disc(x, y, cx-1.8*size, cy+0.3*size, 0.4*size) > 0 || disc(x, y, cx+1.8*size, cy+0.3*size, 0.4*size) > 0 {
			r, g, b = 9, 8, 6
		}
		for layer := range 3 {
			scale := 14.0 - 3*float64(layer)
			u, w := (x+0.01*t*float64(layer+1))*scale, (y-0.035*t*float64(layer+1)/near)*scale
			i, j := int(math.Floor(u)), int(math.Floor(w))
			cx, cy := 0.2+0.6*grain(i, j, 40+layer), 0.2+0.6*grain(i, j, 50+layer)
			if math.Hypot(u-math.Floor(u)-cx, w-math.Floor(w)-cy) < 0.12 {
				r, g, b = 0.7, 0.7, 0.75
			}
		}
		return r, g, b
	},
}

// stadium: a crowd of which each moves a little, a ball, a camera that draws back; then players who run across, with a
// fast pan.
var stadium = painting{
	name:  "stadium",
	noise: 0.08,
	light: func(x, y float64, frame int) (r, g, b float64) {
		t := float64(frame)
		if frame < 28 {
			scale := 1 + 0.02*t
			u, v := (x-1.18)*scale, (y-0.5)*scale
			r, g, b = 0.1, 0.12, 0.2
			if v > -0.2 {
				i, j := int(math.Floor(40*u)), int(math.Floor(30*v))
				wave := 0.15 * math.Sin(0.5*t+float64(i)*0.2)
				c := 0.3*grain(i, j, 60) + 0.1 + 0.1*wave
				r, g, b = c, 0.8*grain(j, i, 61)*c+0.1, 0.5*c
			}
			if disc(x, y, 0.3+0.05*t, 0.2+0.001*(t-14)*(t-14), 0.02) > 0 {
				return 1.2, 1.2, 1.1
			}
			return r, g, b
		}
		u := x + 0.12*t
		v := 0.25 + 0.08*math.Mod(math.Floor(3*u), 2)
		r, g, b = 0.3*v, v, 0.2*v
		if y < 0.25 {
			c := 0.4 * grain(int(math.Floor(25*u)), int(math.Floor(25*y)), 63)
			return c, c, 0.8 * c
		}
		for who := range 6 {
			at := 3.4 + 0.9*float64(who) + (0.09+0.02*float64(who%3))*(t-28)
			if dx := u - at; math.Abs(dx) < 0.05 && y > 0.4 && y < 0.75+0.02*math.Sin(t+float64(who)) {
				return 0.8 * float64(who%2), 0.1, 0.7 * float64(1-who%2)
			}
		}
		return r, g, b
	},
}

// tank: fish in a lit tank who swim to and fro at all speeds, bubbles that rise, plants that sway, light that plays on
// the ground, and a cut to a close view where one fish fills the picture.
var tank = painting{
	name:  "tank",
	noise: 0.06,
	light: func(x, y float64, frame int) (r, g, b float64) {
		t := float64(frame)
		if frame >= 33 {
			x, y = 1+(x-1.18)/2.2, 0.5+(y-0.5)/2.2
		}
		r, g, b = 0.02+0.1*(1-y), 0.1+0.25*(1-y), 0.2+0.3*(1-y)
		if y > 0.82 {
			ripple := math.Pow(0.5+0.5*math.Sin(25*x+2*math.Sin(7*x+0.3*t)+0.5*t), 6)
			v := 0.15 + 0.1*cloudy(20*x, 20*y, 70) + 0.6*ripple
			r, g, b = v, 0.9*v, 0.6*v
		}
		for plant := range 7 {
			sway := 0.05 * (0.82 - y) * math.Sin(0.25*t+float64(plant))
			if at := 0.15 + 0.36*float64(plant) + sway; y > 0.35 && y < 0.9 && math.Abs(x-at) < 0.02 {
				r, g, b = 0.03, 0.2+0.2*cloudy(9*y, float64(plant), 71), 0.05
			}
		}
		for fish := range 11 {
			speed := 0.01 + 0.09*grain(fish, 1, 72)
			turn := math.Sin(speed*t*1.3 + 6*grain(fish, 2, 72))
			cx, cy := 1.18+turn*(0.4+0.7*grain(fish, 3, 72)), 0.15+0.6*grain(fish, 4, 72)+0.02*math.Sin(0.4*t)
			if px, py := (x-cx)/0.11, (y-cy)/0.045; px*px+py*py < 1 {
				stripe := math.Mod(math.Floor(6*px+10), 2)
				r, g, b = 0.9-0.5*stripe, 0.4*grain(fish, 5, 72), 0.1+0.5*stripe
			}
		}
		for bubble := range 8 {
			rise := math.Mod(grain(bubble, 6, 73)+0.03*t*(1+grain(bubble, 7, 73)), 1)
			if disc(x, y, 0.9+0.2*grain(bubble, 8, 73)+0.01*math.Sin(t+float64(bubble)), 1-rise, 0.008) > 0 {
				return 1.3, 1.4, 1.5
			}
		}
		return r, g, b
	},
}

var (
	tuned  = []painting{pier, corridor, forest, fair, market, canyon, train, snow} // with which thresholds were chosen
	unseen = []painting{stadium, tank}                                             // with which none was
)
