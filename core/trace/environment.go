package trace

import (
	"fmt"
	"math"
	"sort"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pixel"
)

// An Environment is an equirectangular map of the light that comes from all around: its middle is the north (-Z), east lies to the
// right of that, and the top row is overhead. It does not change and may be shared.
type Environment struct {
	width, height int
	light         []geom.Vec
	// Cells, a coarser grid, are picked by their power.
	columns, rows int
	sums          []float64 // running sums over the cells, 0 to 1
	uneven        float64   // how often it is worth to pick by power, from leastUneven for even light to mostUneven for a small sun
	// diffuse is the mean light on a surface of each direction, on a grid of its own.
	diffuse []geom.Vec
}

const (
	mostColumns    = 512 // of cells
	diffuseColumns = 32
	diffuseRows    = 16
)

// NewEnvironment makes a map of a picture with planes R, G and B in linear light, twice as wide as high, which is a whole sphere. Negative light
// counts as none.
func NewEnvironment(img *pixel.Image) (*Environment, error) {
	if img.Width < 4 || img.Width != 2*img.Height {
		return nil, fmt.Errorf("an environment is an equirectangular picture, twice as wide as high; this one has %d × %d pixels", img.Width, img.Height)
	}
	var planes [3][]float32
	for i, name := range [3]string{"R", "G", "B"} {
		p := img.Plane(name)
		if p == nil {
			return nil, fmt.Errorf("an environment needs the channels R, G and B; there is no %s", name)
		}
		planes[i] = p.Data
	}
	e := &Environment{width: img.Width, height: img.Height, light: make([]geom.Vec, img.Width*img.Height)}
	for i := range e.light {
		v := geom.Vec{X: float64(planes[0][i]), Y: float64(planes[1][i]), Z: float64(planes[2][i])}
		if !v.Finite() {
			return nil, fmt.Errorf("the pixel at %d, %d is not a finite number", i%img.Width, i/img.Width)
		}
		e.light[i] = geom.Vec{X: max(0, v.X), Y: max(0, v.Y), Z: max(0, v.Z)}
	}
	e.weigh()
	return e, nil
}

// Size returns the map's width and height in pixels.
func (e *Environment) Size() (width, height int) { return e.width, e.height }

// weigh sums the power of cells, and the light on surfaces.
func (e *Environment) weigh() {
	e.columns = min(e.width, mostColumns)
	e.rows = e.columns / 2
	power := make([]float64, e.columns*e.rows)
	e.diffuse = make([]geom.Vec, diffuseColumns*diffuseRows)
	normals := make([]geom.Vec, len(e.diffuse))
	for i := range normals {
		normals[i] = direction((float64(i%diffuseColumns)+0.5)/diffuseColumns, (float64(i/diffuseColumns)+0.5)/diffuseRows)
	}
	// Light on surfaces is summed over a coarse picture of the map.
	coarse := make([]geom.Vec, 4*diffuseColumns*diffuseRows)
	for y := range e.height {
		solid := math.Sin(math.Pi*(float64(y)+0.5)/float64(e.height)) * 2 * math.Pi * math.Pi / float64(e.width*e.height)
		for x := range e.width {
			light := e.light[y*e.width+x].Scale(solid)
			power[y*e.rows/e.height*e.columns+x*e.columns/e.width] += light.X + light.Y + light.Z
			at := y*2*diffuseRows/e.height*2*diffuseColumns + x*2*diffuseColumns/e.width
			coarse[at] = coarse[at].Add(light)
		}
	}
	for i, light := range coarse {
		to := direction((float64(i%(2*diffuseColumns))+0.5)/(2*diffuseColumns), (float64(i/(2*diffuseColumns))+0.5)/(2*diffuseRows))
		for k, n := range normals {
			if cos := n.Dot(to); cos > 0 {
				e.diffuse[k] = e.diffuse[k].Add(light.Scale(cos / math.Pi))
			}
		}
	}
	e.sums = make([]float64, len(power))
	sum := 0.0
	for i, p := range e.spread(power) {
		sum += p
		e.sums[i] = sum
	}
	square := 0.0 // of the density over the sphere; times 4 pi it is 1 for even light
	for i := range e.sums {
		if sum > 0 {
			e.sums[i] /= sum
		}
		_, share, density := e.cell(i)
		square += share * density
	}
	e.uneven = min(mostUneven, max(leastUneven, 1-1/(4*math.Pi*max(square, 1e-9))))
}

const (
	leastUneven = 0.1
	mostUneven  = 0.75
)

// spread gives each cell a share of its neighbours' power, since light is mixed across their edges.
func (e *Environment) spread(power []float64) []float64 {
	out := make([]float64, len(power))
	for y := range e.rows {
		for x := range e.columns {
			for dy, high := range [3]float64{0.25, 0.5, 0.25} {
				row := min(max(y+dy-1, 0), e.rows-1) * e.columns
				for dx, wide := range [3]float64{0.25, 0.5, 0.25} {
					out[y*e.columns+x] += high * wide * power[row+(x+dx-1+e.columns)%e.columns]
				}
			}
		}
	}
	return out
}

// direction returns where a place of the map lies, u and v from 0 to 1 from its top left corner.
func direction(u, v float64) geom.Vec {
	heading, down := 2*math.Pi*(u-0.5), math.Pi*v
	sin, cos := math.Sincos(heading)
	return geom.Vec{X: math.Sin(down) * sin, Y: math.Cos(down), Z: -math.Sin(down) * cos}
}

// place is the other way round.
func place(d geom.Vec) (u, v float64) {
	u = math.Atan2(d.X, -d.Z)/(2*math.Pi) + 0.5
	return u, math.Acos(min(1, max(-1, d.Y))) / math.Pi
}

// at returns the light from a unit direction, mixed from the four pixels around.
func (e *Environment) at(d geom.Vec) geom.Vec {
	u, v := place(d)
	x, y := u*float64(e.width)-0.5, min(max(v*float64(e.height)-0.5, 0), float64(e.height-1))
	left, top := math.Floor(x), math.Floor(y)
	fx, fy := x-left, y-top
	i, j := (int(left)+e.width)%e.width, int(top)
	k, below := (i+1)%e.width, min(j+1, e.height-1)
	return e.light[j*e.width+i].Lerp(e.light[j*e.width+k], fx).Lerp(e.light[below*e.width+i].Lerp(e.light[below*e.width+k], fx), fy)
}

// on returns the mean light that falls on a surface of a unit normal, which a white one reflects.
func (e *Environment) on(n geom.Vec) geom.Vec {
	u, v := place(n)
	return e.diffuse[min(int(v*diffuseRows), diffuseRows-1)*diffuseColumns+min(int(u*diffuseColumns), diffuseColumns-1)]
}

// pick returns a direction, chosen by the power of cells, and the probability of the choice per steradian; 0 if all is dark.
func (e *Environment) pick(u, v float64) (geom.Vec, float64) {
	i := min(sort.SearchFloat64s(e.sums, u), len(e.sums)-1)
	low, share, density := e.cell(i)
	if share <= 0 {
		return geom.Vec{}, 0
	}
	// Level within the cell, by its solid angle.
	high, deep := e.edges(i / e.columns)
	down := math.Acos(min(1, max(-1, high+(deep-high)*v))) / math.Pi
	within := min(1, max(0, (u-low)/share))
	return direction((float64(i%e.columns)+within)/float64(e.columns), down), density
}

// cell returns where a cell begins in the running sums, its share of all power, and that per steradian.
func (e *Environment) cell(i int) (low, share, density float64) {
	if i > 0 {
		low = e.sums[i-1]
	}
	high, deep := e.edges(i / e.columns)
	share = e.sums[i] - low
	return low, share, share / (2 * math.Pi / float64(e.columns) * (high - deep))
}

// edges returns the cosines from overhead of the upper and lower edge of a row of cells.
func (e *Environment) edges(row int) (high, deep float64) {
	return math.Cos(math.Pi * float64(row) / float64(e.rows)), math.Cos(math.Pi * float64(row+1) / float64(e.rows))
}

// density returns the probability per steradian with which pick chooses a direction.
func (e *Environment) density(d geom.Vec) float64 {
	u, v := place(d)
	_, _, density := e.cell(min(int(v*float64(e.rows)), e.rows-1)*e.columns + min(int(u*float64(e.columns)), e.columns-1))
	return density
}

// around is an environment as a look has it: turned, and stronger or weaker.
type around struct {
	*Environment
	sin, cos, factor float64
}

func newAround(e *Environment, l look.Environment) *around {
	if e == nil {
		return nil
	}
	sin, cos := math.Sincos(l.TurnDegrees * math.Pi / 180)
	return &around{e, sin, cos, l.Factor()}
}

// own turns a direction of the world into one of the map, and back.
func (a *around) own(d geom.Vec) geom.Vec {
	return geom.Vec{X: a.cos*d.X + a.sin*d.Z, Y: d.Y, Z: a.cos*d.Z - a.sin*d.X}
}

func (a *around) back(d geom.Vec) geom.Vec {
	return geom.Vec{X: a.cos*d.X - a.sin*d.Z, Y: d.Y, Z: a.cos*d.Z + a.sin*d.X}
}

// sky returns the light that comes from a unit direction where there is no surface, without the sun's disc.
func (w *World) sky(d geom.Vec) geom.Vec {
	if w.around != nil {
		return w.around.at(w.around.own(d)).Scale(w.around.factor)
	}
	return w.look.Radiance(d)
}

// mapLight returns what a surface reflects of one direction of the environment: chosen by the map's power, which finds small suns, or by
// the surface's cosine, which is even; weighed by both (Veach and Guibas, "Optimally Combining Sampling Techniques", 1995, the balance heuristic). What
// mirrors sees it anyway, and reflects its body's share only.
func (w *World) mapLight(surf *surface, above, view, body, f0 geom.Vec, s *sampler) geom.Vec {
	u, v := s.pair(dimAmbient)
	var own, to geom.Vec
	often := w.around.uneven
	if u < often {
		var density float64
		if own, density = w.around.pick(u/often, v); density == 0 {
			return geom.Vec{}
		}
		to = w.around.back(own)
	} else {
		to = byCosine(surf.normal, (u-often)/(1-often), v)
		own = w.around.own(to)
	}
	cos := to.Dot(surf.normal)
	density := often*w.around.density(own) + (1-often)*max(0, cos)/math.Pi
	if cos <= 0 || to.Dot(surf.face) <= 0 || density <= 0 {
		return geom.Vec{}
	}
	light := w.around.at(own).Scale(w.around.factor * cos / density)
	m := surf.material
	reflected := light.Mul(brdf(m, body, f0, surf.normal, view, to))
	if m.Roughness < mirrorBelow {
		reflected = light.Mul(body).Scale(1 / math.Pi)
	}
	if reflected.Max() <= 0 || w.blocked(above, to, math.Inf(1)) {
		return geom.Vec{}
	}
	return reflected
}
