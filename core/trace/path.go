package trace

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/sampling"
	"reelhouse/core/scene"
)

const (
	faint = 0.02 // exposed light below which a source is asked for only as often as it is worth
	// least alpha of highlights that are lit by way of a diffuse surface, against bright specks (Kaplanyan and
	// Dachsbacher 2013)
	softened  = 0.25
	mostSteps = 256 // of one path, over all that does not scatter
	sunSprite = 60  // the most light that the camera itself sees in a sun's disc
)

// A path is one way from the camera on into the scene.
type path struct {
	*tracer
	random *sampler
	out    *tally
	limits sampling.Bounces

	// What of light that is found further on reaches the camera, by way of the first surface's body and of its
	// highlight.
	body, shine geom.Vec
	scattered   int  // how often so far
	passed      bool // the first surface was gone through
	used        sampling.Bounces
	// Of the surface that scattered last: where it is, how likely it asked sources itself, and the probability of the
	// direction that was taken. Density 0 stands for none.
	from, normal, face geom.Vec
	asked              asked
	density            float64
	counted            bool     // light ahead was counted there already, behind glass
	softness           float64  // least alpha of highlights from here on
	width              float64  // over which textures are averaged, in metres
	spread             float64  // by which it grows, a metre
	inside             geom.Vec // what is lost in each metre, in each colour
}

// asked is how likely a surface asked each kind of source itself.
type asked struct{ lamps, sky, glow float64 }

// follow adds the light that comes to the camera along a ray whose first hit is known; a hit without an instance is the
// sky.
func (t *tracer) follow(
	origin, direction geom.Vec, h hit, random *sampler, limits sampling.Bounces, spread float64, out *tally,
) {
	p := path{tracer: t, random: random, out: out, limits: limits, body: geom.Vec{X: 1, Y: 1, Z: 1}, spread: spread}
	for range mostSteps {
		if p.inside != (geom.Vec{}) && h.instance != nil {
			p.dull(
				geom.Vec{
					X: math.Exp(-p.inside.X * h.distance),
					Y: math.Exp(-p.inside.Y * h.distance),
					Z: math.Exp(-p.inside.Z * h.distance),
				},
			)
		}
		if h.instance == nil {
			p.sky(direction)
			return
		}
		p.width += p.spread * h.distance
		if t.haze {
			p.hazed(direction, h.distance)
		}
		if p.scattered > 0 && t.roles != nil && t.roles[h.node()].Catcher { // nothing but its shadow is seen of it
			t.beyond(&origin, direction, &h)
			continue
		}
		s := t.surface(origin, direction, &h, p.width)
		if s.material.Unlit {
			p.add(s.base, partEmission, t.groups.glow(&h))
			return
		}
		if s.emission != (geom.Vec{}) {
			p.glowing(origin, direction, &h, &s)
		}
		var goesOn bool
		if origin, direction, goesOn = p.scatter(&s, direction); !goesOn {
			return
		}
		t.first(origin, direction, math.Inf(1), &h)
	}
}

// beyond goes on behind what was hit.
func (t *tracer) beyond(origin *geom.Vec, direction geom.Vec, h *hit) {
	*origin = origin.Add(direction.Scale(h.distance + offset*max(1, origin.Length(), h.distance)))
	t.first(*origin, direction, math.Inf(1), h)
}

func (p *path) dull(by geom.Vec) { p.body, p.shine = p.body.Mul(by), p.shine.Mul(by) }

// add adds light that comes from ahead to the camera's: as one part of the picture if nothing has scattered it, or else
// as what the first surface makes of it.
func (p *path) add(light geom.Vec, straight part, group int) {
	switch {
	case p.passed:
		p.put(light.Mul(p.body), partThrough, group)
	case p.scattered == 0:
		p.put(light.Mul(p.body), straight, group)
	case p.scattered == 1:
		p.put(light.Mul(p.body), partDiffuseDirect, group)
		p.put(light.Mul(p.shine), partGlossyDirect, group)
	default:
		p.put(light.Mul(p.body), partDiffuseIndirect, group)
		p.put(light.Mul(p.shine), partGlossyIndirect, group)
	}
}

func (p *path) put(light geom.Vec, of part, group int) {
	if p.clamp > 0 && (of == partDiffuseIndirect || of == partGlossyIndirect || of == partThrough) {
		if peak := light.Max() * p.gain; peak > p.clamp {
			light = light.Scale(p.clamp / peak)
		}
	}
	p.out.add(light, of, group)
}

// weight is how much of light that a scattered ray has found is counted, when the surface that scattered it may have
// asked for the light itself, with a probability a steradian (the power heuristic of Veach and Guibas, "Optimally
// Combining Sampling Techniques", 1995).
func (p *path) weight(asked float64) float64 {
	switch {
	case p.counted:
		return 0
	case p.density == 0:
		return 1
	}
	return power2(p.density, asked)
}

func power2(a, b float64) float64 { return a * a / (a*a + b*b) }

// sky adds the light from where there is no surface.
func (p *path) sky(direction geom.Vec) {
	if p.scattered == 0 || p.density == 0 && !p.counted {
		p.add(p.skyLight(direction), partEnvironment, p.groups.sky)
	} else if w := p.weight(p.asked.sky * p.skyAsked(direction)); w > 0 {
		p.add(p.skyLight(direction).Scale(w), partEnvironment, p.groups.sky)
	}
	for i := range p.lights {
		l := &p.lights[i]
		if !l.shows(direction) || p.counted {
			continue
		}
		light := l.intensity.Scale(1 / l.disc())
		if p.density == 0 {
			if p.out.sprite {
				p.add(l.intensity.Scale(min(sunSprite, 1/l.disc())), partEnvironment, p.groups.lamp(i))
			}
			continue
		}
		p.add(light.Scale(p.weight(p.asked.lamps*p.sunShare(l, direction)/l.disc())), partEnvironment, p.groups.lamp(i))
	}
}

// sunShare returns how likely the surface that scattered last chose a sun among all lamps.
func (p *path) sunShare(sun *lamp, direction geom.Vec) float64 {
	mine := lampWeight(sun.intensity, direction.Dot(p.normal))
	total := mine
	for i := range p.lights {
		if l := &p.lights[i]; l != sun {
			if to, _, light := l.towards(p.from, 0, 0); to.Dot(p.face) > 0 {
				total += lampWeight(light, to.Dot(p.normal))
			}
		}
	}
	return mine / total
}

// skyAsked returns the probability per steradian with which a surface that asks the sky does so in a direction.
func (p *path) skyAsked(direction geom.Vec) float64 {
	if p.asked.sky == 0 {
		return 0
	}
	return p.World.sky.skyDensity(direction)
}

// hazed dims what is farther away by haze, in whose place the horizon shines.
func (p *path) hazed(direction geom.Vec, metres float64) {
	share := math.Exp(-metres / p.look.Haze.Metres)
	level := geom.Vec{X: direction.X, Y: math.Abs(direction.Y) * 0.2, Z: direction.Z}.Unit()
	p.add(p.skyLight(level).Scale(1-share), partEnvironment, p.groups.sky)
	p.dull(geom.Vec{X: share, Y: share, Z: share})
}

// glowing adds what a surface gives off itself.
func (p *path) glowing(origin, direction geom.Vec, h *hit, s *surface) {
	asked := 0.0
	if p.density > 0 && p.asked.glow > 0 {
		if d := p.glowDensity(p.from, p.time, h); d > 0 {
			away := s.point.Sub(p.from)
			asked = p.asked.glow * d * away.Dot(away) / max(1e-9, math.Abs(direction.Dot(s.face)))
		}
	}
	w := p.weight(asked)
	if w > 0 {
		p.add(s.emission.Scale(w), partEmission, p.groups.glow(h))
	}
}

// scatter lights a surface by what shines on it, and chooses where to go on.
func (p *path) scatter(s *surface, direction geom.Vec) (origin, to geom.Vec, goesOn bool) {
	n := p.scattered
	f := newScatterer(s, direction, p.softness, p.used.Diffuse < p.limits.Diffuse, p.used.Glossy < p.limits.Glossy)
	if f.body == (geom.Vec{}) && f.head == (geom.Vec{}) && f.rim == (geom.Vec{}) && f.passing == 0 {
		return origin, to, false
	}
	choice := p.random.one(vertex(n, dimLobe))
	if f.passing < 1 {
		p.light(s, &f, n)
	}
	u, v := p.random.pair(vertex(n, dimScatter))
	if choice < f.passing {
		return p.pierce(s, &f, choice/f.passing, u, v)
	}
	to, body, shine, density, of := f.scatter(choice, u, v)
	if density <= 0 {
		return to, to, false
	}
	if of == diffuse {
		p.used.Diffuse++
	} else {
		p.used.Glossy++
	}
	p.turn(body, shine)
	p.from, p.normal, p.face, p.density, p.counted = s.point, s.normal, s.face, density, false
	if of == diffuse {
		p.softness = max(p.softness, softened)
		p.spread = max(p.spread, 0.1)
	} else {
		p.spread = max(p.spread, 0.25*f.alpha)
	}
	return s.above(to), to, p.survives(n)
}

// turn takes in what a surface makes of the light that is found further on.
func (p *path) turn(body, shine geom.Vec) {
	if p.scattered == 0 && !p.passed {
		p.body, p.shine = p.body.Mul(body), p.body.Mul(shine)
	} else {
		p.dull(body.Add(shine))
	}
	p.scattered++
}

// survives ends paths that are worth little, as often as that (Russian roulette).
func (p *path) survives(n int) bool {
	worth := p.body.Add(p.shine).Max()
	if worth <= 0 {
		return false
	}
	if n < 1 {
		return true
	}
	chance := min(1, max(0.05, worth*1.5))
	if p.random.one(vertex(n, dimRoulette)) >= chance {
		return false
	}
	p.dull(geom.Vec{X: 1 / chance, Y: 1 / chance, Z: 1 / chance})
	return true
}

// pierce goes on through a surface.
func (p *path) pierce(s *surface, f *scatterer, choice, u, v float64) (origin, to geom.Vec, goesOn bool) {
	if p.used.Through++; p.used.Through > p.limits.Through {
		return to, to, false
	}
	to, share := f.pierce(u, v, choice)
	if share == (geom.Vec{}) {
		return to, to, false
	}
	if p.scattered == 0 {
		p.passed = true
	}
	p.dull(share)
	p.scattered++
	if !f.straight || !f.polished {
		p.counted = p.density > 0 || p.counted // light behind glass was let through straight
	}
	if m := s.material; !f.straight {
		p.inside = geom.Vec{}
		if entering := !s.inside; entering && to.Dot(s.face) < 0 || s.inside && to.Dot(s.face) > 0 {
			p.inside = dullness(m)
		}
	}
	return s.above(to), to, p.survives(p.scattered - 1)
}

// dullness returns what a material's inside takes away in each metre.
func dullness(m *scene.Material) geom.Vec {
	if m.Clearness <= 0 || m.Tint == (geom.Vec{}) {
		return geom.Vec{}
	}
	lost := func(x float64) float64 { return -math.Log(max(1e-4, min(1, x))) / m.Clearness }
	return geom.Vec{X: lost(m.Tint.X), Y: lost(m.Tint.Y), Z: lost(m.Tint.Z)}
}

// A sharp surface mirrors so well, and is so dark itself, that it finds the sky by its mirrored rays.
const (
	sharpAlpha = 0.02
	sharpBody  = 0.1
)

// leastAsked is how often each kind of source is asked at least.
const leastAsked = 0.1

// light adds what a surface sends on of the light that shines straight on it: from one lamp, from one direction of the
// sky, and from one point that glows. Beyond the first surface only one of the three is asked, by how much light it may
// send.
func (p *path) light(s *surface, f *scatterer, n int) {
	p.asked = asked{}
	u, v := p.random.pair(vertex(n, dimLampPlace))
	lamps, glow := p.lampWeights(s, u, v), p.glowWeights(s.point)
	if lamps > 0 {
		p.asked.lamps = 1
	}
	if !p.World.sky.dark && !(f.alpha < sharpAlpha && f.body.Max() < sharpBody) {
		p.asked.sky = 1
	}
	if glow > 0 {
		p.asked.glow = 1
	}
	if kinds := p.asked.lamps + p.asked.sky + p.asked.glow; n > 0 && kinds > 1 {
		sky := p.asked.sky * p.World.sky.mean * math.Pi / 2
		all := lamps + sky + glow/2
		share := func(asked, light float64) float64 {
			return asked * (leastAsked + (1-leastAsked*kinds)*light/all)
		}
		p.asked = asked{share(p.asked.lamps, lamps), share(p.asked.sky, sky), share(p.asked.glow, glow/2)}
		switch kind := p.random.one(vertex(n, dimSource)); {
		case kind < p.asked.lamps:
			p.fromLamp(s, f, n, lamps, u, v)
		case kind < p.asked.lamps+p.asked.sky:
			p.fromSky(s, f, n)
		default:
			p.fromGlow(s, f, n, glow)
		}
		return
	}
	if p.asked.lamps > 0 {
		p.fromLamp(s, f, n, lamps, u, v)
	}
	if p.asked.sky > 0 {
		p.fromSky(s, f, n)
	}
	if p.asked.glow > 0 {
		p.fromGlow(s, f, n, glow)
	}
}

func (p *path) fromSky(s *surface, f *scatterer, n int) {
	u, v := p.random.pair(vertex(n, dimSky))
	if to, density := p.World.sky.pickSky(u, v); density > 0 && to.Dot(s.face) > 0 {
		p.from1(s, f, n, 0, to, math.Inf(1), p.skyLight(to), p.asked.sky*density, p.groups.sky)
	}
}

func (p *path) fromGlow(s *surface, f *scatterer, n int, total float64) {
	u, v := p.random.pair(vertex(n, dimGlowPlace))
	place, ok := p.pickGlow(total, p.random.one(vertex(n, dimGlow)), u, v)
	if !ok {
		return
	}
	to := place.point.Sub(s.point)
	distance := to.Length()
	to = to.Scale(1 / distance)
	cos := math.Abs(to.Dot(place.normal))
	if distance < 1e-4 || cos < 1e-6 || to.Dot(s.face) <= 0 {
		return
	}
	h := hit{instance: &p.instances[place.instance], triangle: place.triangle, u: place.u, v: place.v}
	p.from1(
		s, f, n, 1, to, distance, p.emissionAt(&h), p.asked.glow*place.density*distance*distance/cos, p.groups.glow(&h),
	)
}

// lampWeight is how often a lamp is chosen, by the light that it sends to a surface and the cosine there.
func lampWeight(light geom.Vec, cos float64) float64 { return light.Max() * max(0.02, cos) }

// lampWeights weighs the lamps for a surface, and returns the sum; u and v choose the place on a sun's disc.
func (p *path) lampWeights(s *surface, u, v float64) float64 {
	weights := p.weights[:0]
	total := 0.0
	for i := range p.lights {
		weight := 0.0
		if to, _, light := p.lights[i].towards(s.point, u, v); to.Dot(s.face) > 0 {
			weight = lampWeight(light, to.Dot(s.normal))
			total += weight
		}
		weights = append(weights, weight)
	}
	p.weights = weights
	return total
}

func (p *path) fromLamp(s *surface, f *scatterer, n int, total, u, v float64) {
	weights := p.weights
	target := p.random.one(vertex(n, dimLamp)) * total
	k := 0
	for last := len(weights) - 1; k < last && target >= weights[k]; k++ {
		target -= weights[k]
	}
	if weights[k] == 0 {
		return
	}
	l := &p.lights[k]
	to, distance, light := l.towards(s.point, u, v)
	share := p.asked.lamps * weights[k] / total
	if disc := l.disc(); disc > 0 {
		p.from1(s, f, n, 2, to, distance, light.Scale(1/disc), share/disc, p.groups.lamp(k))
		return
	}
	body, shine, _ := f.evaluate(to)
	p.reach(s, n, 2, to, distance, body, shine, light.Scale(1/share), 1, p.groups.lamp(k))
}

// from1 adds light from one direction, that was chosen with a probability per steradian and that a scattered ray may
// find, too.
func (p *path) from1(
	s *surface, f *scatterer, n, dim int, to geom.Vec, distance float64, light geom.Vec, density float64, group int,
) {
	body, shine, other := f.evaluate(to)
	p.reach(s, n, dim, to, distance, body, shine, light.Scale(1/density), power2(density, other), group)
}

// reach adds light if nothing keeps it away, by a weight that leaves to scattered rays what they find; they do not
// where glass bends them.
func (p *path) reach(
	s *surface, n, dim int, to geom.Vec, distance float64, body, shine, light geom.Vec, weight float64, group int,
) {
	both := p.body
	if p.scattered > 0 {
		both = p.body.Add(p.shine)
	}
	worth := light.Mul(body.Add(shine)).Mul(both).Max() * p.gain * max(weight, 0.1)
	if !(worth > 0) {
		return
	}
	if worth < faint {
		if p.random.one(vertex(n, dimFaint)+dim*1000) >= worth/faint {
			return
		}
		light = light.Scale(faint / worth)
	}
	origin := s.above(to)
	if distance = distance * (1 - 1e-5); !math.IsInf(distance, 1) {
		distance -= s.point.Sub(origin).Length() * 2
		if p.haze {
			light = light.Scale(math.Exp(-distance / p.look.Haze.Metres))
		}
	}
	through := p.visible(origin, to, distance)
	if p.bent {
		weight = 1
	}
	if light = light.Mul(through).Scale(weight); light == (geom.Vec{}) {
		return
	}
	switch {
	case p.passed:
		p.put(light.Mul(body.Add(shine)).Mul(p.body), partThrough, group)
	case p.scattered == 0:
		p.put(light.Mul(body).Mul(p.body), partDiffuseDirect, group)
		p.put(light.Mul(shine).Mul(p.body), partGlossyDirect, group)
	default:
		light = light.Mul(body.Add(shine))
		p.put(light.Mul(p.body), partDiffuseIndirect, group)
		p.put(light.Mul(p.shine), partGlossyIndirect, group)
	}
}
