package trace

import (
	"math"
	"sync"

	"reelhouse/core/geom"
)

// A lobe is one of the ways in which a surface scatters light.
type lobe int

const (
	diffuse lobe = iota
	glossy
	through // light that goes on behind the surface
)

// leastAlpha keeps highlights of mirrors finite.
const leastAlpha = 1e-3

// polished is the alpha below which thin glass does not blur.
const polished = 0.01

// A scatterer is how a surface scatters light that it sends towards a viewer: the metallic-roughness model of glTF 2.0
// (appendix B) with Lambert's body under GGX highlights. What highlights lose between the facets of a rough surface is
// given back (Turquin, "Practical multiple scattering compensation for microfacet models", 2019), and the body gets
// what they leave; so a white surface gives back all light.
type scatterer struct {
	s     *surface
	a, b  geom.Vec // the shading normal's frame
	view  geom.Vec // in that frame
	alpha float64
	// What facets mirror of light head on, and what that rises by towards grazing, with what goes to and fro between
	// them.
	head, rim geom.Vec
	body      geom.Vec // share that the body gives back
	shine     float64  // probability of the glossy lobe, when one of the two is chosen
	pass      geom.Vec // share that goes through
	passing   float64  // probability of going through
	ior       float64  // seen from the viewer's side: of the far side over the near one
	straight  bool     // what goes through is not bent
	polished  bool     // nor blurred
}

// newScatterer prepares a surface. least is the least roughness, squared, that it is given; bodies and highlights say
// which of the two scatter at all.
func newScatterer(s *surface, direction geom.Vec, least float64, bodies, highlights bool) scatterer {
	m := s.material
	f := scatterer{s: s, alpha: max(leastAlpha, least, s.roughness*s.roughness), ior: 1.5}
	f.a, f.b = s.normal.Tangents()
	f.view = f.local(direction.Scale(-1))
	f.view.Z = max(f.view.Z, 1e-4)
	if m.IOR > 0 {
		f.ior = m.IOR
	}
	plain := (f.ior - 1) / (f.ior + 1)
	plain *= plain
	scale, bias := reflected(f.view.Z, f.alpha)
	lost := 1/(scale+bias) - 1
	if s.metallic < 1 {
		f.facets(geom.Vec{X: plain, Y: plain, Z: plain}, lost, 1-s.metallic)
	}
	if s.metallic > 0 {
		f.facets(s.base, lost, s.metallic)
	}
	left := 1 - (plain*scale+bias)*(1+plain*lost)
	dull := (1 - s.metallic) * left
	f.body = s.base.Scale(dull * (1 - m.Transmission))
	f.pass = s.base.Scale(dull * m.Transmission)
	f.straight = m.Thickness == 0
	f.polished = f.alpha < polished
	if !bodies {
		f.body = geom.Vec{}
	}
	if !highlights {
		f.head, f.rim = geom.Vec{}, geom.Vec{}
	}
	gloss := f.head.Add(f.rim.Scale(bias/(scale+bias))).Max() * (scale + bias)
	if m.Transmission > 0 && s.metallic < 1 {
		f.passing = min(0.98, f.pass.Max()/max(1e-9, f.pass.Max()+f.body.Max()+gloss))
		if !f.straight && s.inside { // all that meets glass from inside is bent or mirrored
			f.ior, f.passing, f.pass = 1/f.ior, 1, geom.Vec{X: 1, Y: 1, Z: 1}
		}
	}
	if sum := gloss + f.body.Max(); sum > 0 {
		f.shine = gloss / sum
		if f.body.Max() > 0 && gloss > 0 {
			f.shine = min(0.9, max(0.1, f.shine))
		}
	}
	return f
}

// facets adds facets that mirror f0 of light that comes head on.
func (f *scatterer) facets(f0 geom.Vec, lost, share float64) {
	more := geom.Vec{X: 1 + f0.X*lost, Y: 1 + f0.Y*lost, Z: 1 + f0.Z*lost}.Scale(share)
	f.head = f.head.Add(f0.Mul(more))
	f.rim = f.rim.Add(geom.Vec{X: 1 - f0.X, Y: 1 - f0.Y, Z: 1 - f0.Z}.Mul(more))
}

func (f *scatterer) local(v geom.Vec) geom.Vec {
	return geom.Vec{X: v.Dot(f.a), Y: v.Dot(f.b), Z: v.Dot(f.s.normal)}
}

func (f *scatterer) world(v geom.Vec) geom.Vec {
	return f.a.Scale(v.X).Add(f.b.Scale(v.Y)).Add(f.s.normal.Scale(v.Z))
}

// evaluate returns what the body and the highlight send to the viewer of the light from a direction above, each times
// its cosine, and the probability per steradian with which scatter chooses the direction.
func (f *scatterer) evaluate(to geom.Vec) (body, shine geom.Vec, density float64) {
	l := f.local(to)
	if l.Z <= 0 || to.Dot(f.s.face) <= 0 {
		return
	}
	half := f.view.Add(l).Unit()
	d := ggx(half.Z, f.alpha)
	lambdaV, lambdaL := lambda(f.view.Z, f.alpha), lambda(l.Z, f.alpha)
	vh := min(1, max(0, f.view.Dot(half)))
	x := 1 - vh // Schlick's approximation (1994)
	shine = f.head.Add(f.rim.Scale(x * x * x * x * x)).Scale(d / ((1 + lambdaV + lambdaL) * 4 * f.view.Z))
	body = f.body.Scale(l.Z / math.Pi)
	density = f.shine*d/(4*f.view.Z*(1+lambdaV)) + (1-f.shine)*l.Z/math.Pi
	return body, shine, density * (1 - f.passing)
}

// scatter chooses where light that goes to the viewer may come from: the direction, the shares of the body and of the
// highlight over the probability of the choice, and that per steradian. The choice of the lobe, from 0 to 1, must not
// be one that goes through.
func (f *scatterer) scatter(choice, u, v float64) (to geom.Vec, body, shine geom.Vec, density float64, of lobe) {
	choice = (choice - f.passing) / (1 - f.passing)
	if choice < f.shine {
		half := f.facet(u, v)
		l := half.Scale(2 * half.Dot(f.view)).Sub(f.view)
		to, of = f.world(l), glossy
	} else {
		to, of = byCosine(f.s.normal, u, v), diffuse
	}
	body, shine, density = f.evaluate(to)
	if density <= 0 {
		return to, geom.Vec{}, geom.Vec{}, 0, of
	}
	return to, body.Scale(1 / density), shine.Scale(1 / density), density, of
}

// pierce chooses where light comes from that has come through the surface: straight, blurred by roughness, or bent
// (Walter and others, "Microfacet Models for Refraction through Rough Surfaces", 2007). It returns its share over the
// probability of going through, which may be of light that is mirrored inside. What would be lost between facets goes
// on as if there were none.
func (f *scatterer) pierce(u, v, w float64) (to, share geom.Vec) {
	share = f.pass.Scale(1 / f.passing)
	half := f.facet(u, v)
	if f.straight {
		l := half.Scale(2 * half.Dot(f.view)).Sub(f.view)
		if f.polished || l.Z <= 0 {
			return f.world(f.view.Scale(-1)).Unit(), share
		}
		l.Z = -l.Z
		return f.world(l), share
	}
	l, inside := f.bent(half, w)
	if inside != (l.Z > 0) {
		l, _ = f.bent(geom.Vec{Z: 1}, w)
	}
	return f.world(l).Unit(), share
}

// bent returns where light comes from that a facet bends towards the viewer, or mirrors inside, as often as Fresnel's
// equations say.
func (f *scatterer) bent(half geom.Vec, w float64) (l geom.Vec, mirrored bool) {
	cos := half.Dot(f.view)
	sin2 := (1 - cos*cos) / (f.ior * f.ior)
	share, inner := 1.0, 0.0
	if sin2 < 1 {
		inner = math.Sqrt(1 - sin2)
		rs, rp := (cos-f.ior*inner)/(cos+f.ior*inner), (f.ior*cos-inner)/(f.ior*cos+inner)
		share = (rs*rs + rp*rp) / 2
		if !f.s.inside {
			share = 0 // the highlight has it
		}
	}
	if w < share {
		return half.Scale(2 * cos).Sub(f.view), true
	}
	return half.Scale(cos/f.ior - inner).Sub(f.view.Scale(1 / f.ior)), false
}

// facet chooses the normal of a facet that the viewer sees (Heitz, "Sampling the GGX Distribution of Visible Normals",
// 2018).
func (f *scatterer) facet(u, v float64) geom.Vec { return facet(f.view, f.alpha, u, v) }

func facet(view geom.Vec, alpha, u, v float64) geom.Vec {
	stretched := geom.Vec{X: alpha * view.X, Y: alpha * view.Y, Z: view.Z}.Unit()
	first := geom.Vec{X: 1}
	if across := stretched.X*stretched.X + stretched.Y*stretched.Y; across > 0 {
		first = geom.Vec{X: -stretched.Y, Y: stretched.X}.Scale(1 / math.Sqrt(across))
	}
	second := stretched.Cross(first)
	r := math.Sqrt(u)
	sin, cos := turn(v)
	x, y := r*cos, r*sin
	s := (1 + stretched.Z) / 2
	y = (1-s)*math.Sqrt(max(0, 1-x*x)) + s*y
	n := first.Scale(x).Add(second.Scale(y)).Add(stretched.Scale(math.Sqrt(max(0, 1-x*x-y*y))))
	return geom.Vec{X: alpha * n.X, Y: alpha * n.Y, Z: max(1e-9, n.Z)}.Unit()
}

// ggx is the density of facets by the cosine of their tilt (Walter and others 2007, equation 33).
func ggx(cos, alpha float64) float64 {
	a2 := alpha * alpha
	d := cos*cos*(a2-1) + 1
	return a2 / (math.Pi * d * d)
}

// lambda is how many facets hide another one, by the cosine of the direction (Heitz, "Understanding the
// Masking-Shadowing Function", 2014, equation 72).
func lambda(cos, alpha float64) float64 {
	cos2 := cos * cos
	return (math.Sqrt(1+alpha*alpha*max(0, 1-cos2)/cos2) - 1) / 2
}

// byCosine returns a direction round a normal, chosen by its cosine: with the probability cosine / pi per steradian.
func byCosine(normal geom.Vec, u, v float64) geom.Vec {
	a, b := normal.Tangents()
	r := math.Sqrt(u)
	sin, cos := turn(v)
	return a.Scale(r * cos).Add(b.Scale(r * sin)).Add(normal.Scale(math.Sqrt(max(0, 1-u))))
}

// The share of light that GGX highlights give back, by the cosine of the viewer and by alpha: f0 times the first number
// plus the second, since Schlick's approximation is linear in f0.
const (
	tableCosines = 32
	tableAlphas  = 24
	tableSamples = 256
)

var table = sync.OnceValue(func() *[tableAlphas][tableCosines][2]float64 {
	var t [tableAlphas][tableCosines][2]float64
	var wait sync.WaitGroup
	for i := range t {
		wait.Go(func() {
			for j := range t[i] {
				t[i][j][0], t[i][j][1] = integrate(cosineAt(float64(j)), alphaAt(float64(i)))
			}
		})
	}
	wait.Wait()
	return &t
})

// Rows lie closer where roughness is low, and columns where the view grazes.
func cosineAt(j float64) float64 { x := j / (tableCosines - 1); return max(1e-4, x*x) }
func alphaAt(i float64) float64  { x := i / (tableAlphas - 1); return max(leastAlpha, x*x) }

// integrate sums the highlight over all directions, with facets chosen as scatter does.
func integrate(cos, alpha float64) (scale, bias float64) {
	view := geom.Vec{X: math.Sqrt(1 - cos*cos), Z: cos}
	for i := range tableSamples {
		u, v := (float64(i)+0.5)/tableSamples, radicalInverse(uint32(i))
		half := facet(view, alpha, u, v)
		vh := half.Dot(view)
		l := half.Scale(2 * vh).Sub(view)
		if l.Z <= 0 {
			continue
		}
		weight := (1 + lambda(cos, alpha)) / (1 + lambda(cos, alpha) + lambda(l.Z, alpha))
		x := 1 - min(1, max(0, vh))
		x5 := x * x * x * x * x
		scale += weight * (1 - x5) / tableSamples
		bias += weight * x5 / tableSamples
	}
	return scale, bias
}

func radicalInverse(i uint32) float64 {
	out, base := 0.0, 0.5
	for ; i > 0; i >>= 1 {
		out += base * float64(i&1)
		base /= 2
	}
	return out
}

// reflected looks the table up.
func reflected(cos, alpha float64) (scale, bias float64) {
	t := table()
	x, y := math.Sqrt(cos)*(tableCosines-1), math.Sqrt(alpha)*(tableAlphas-1)
	j, i := min(int(x), tableCosines-2), min(int(y), tableAlphas-2)
	fx, fy := x-float64(j), y-float64(i)
	mix := func(k int) float64 {
		return (t[i][j][k]*(1-fx)+t[i][j+1][k]*fx)*(1-fy) + (t[i+1][j][k]*(1-fx)+t[i+1][j+1][k]*fx)*fy
	}
	return mix(0), mix(1)
}
