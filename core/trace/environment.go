package trace

import (
	"fmt"
	"math"
	"sort"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pixel"
)

// An Environment is an equirectangular map of the light that comes from all around: its middle is the north (-Z), east
// lies to the right of that, and the top row is overhead. It does not change and may be shared.
type Environment struct {
	width, height int
	light         [][3]float32
	// Cells, a coarser grid, are picked by their power.
	columns, rows int
	sums          []float64 // running sums over the cells, 0 to 1
	cosines       []float64 // from overhead, of the upper edge of each row, and of the lowest
}

const mostColumns = 512 // of cells

// Bounds of an environment: its pixels, and the bytes that the first reading of a file may take.
const (
	mostEnvironmentWidth  = 16384
	MostEnvironmentMemory = 6 << 30
)

// NewEnvironment makes a map of a picture with planes R, G and B in linear light, twice as wide as high, which is a
// whole sphere. Negative light counts as none.
func NewEnvironment(img *pixel.Image) (*Environment, error) {
	e, err := blankEnvironment(img.Width, img.Height)
	if err == nil {
		err = e.lines(0, img)
	}
	if err != nil {
		return nil, err
	}
	e.weigh()
	return e, nil
}

func blankEnvironment(width, height int) (*Environment, error) {
	if width < 4 || width != 2*height {
		return nil, fmt.Errorf(
			"an environment is an equirectangular picture, twice as wide as high; this one has %d × %d pixels", width,
			height,
		)
	}
	if width > mostEnvironmentWidth {
		return nil, fmt.Errorf(
			"%d × %d pixels are more than the %d × %d that an environment may have", width, height,
			mostEnvironmentWidth, mostEnvironmentWidth/2,
		)
	}
	return &Environment{width: width, height: height, light: make([][3]float32, width*height)}, nil
}

// lines fills in lines of the picture, from y on.
func (e *Environment) lines(y int, img *pixel.Image) error {
	var planes [3][]float32
	for i, name := range [3]string{"R", "G", "B"} {
		p := img.Plane(name)
		if p == nil {
			return fmt.Errorf("an environment needs the channels R, G and B; there is no %s", name)
		}
		planes[i] = p.Data
	}
	to := e.light[y*e.width:]
	for i := range planes[0] {
		for k, plane := range planes {
			v := plane[i]
			if v-v != 0 {
				return fmt.Errorf("the pixel at %d, %d is not a finite number", i%e.width, y+i/e.width)
			}
			to[i][k] = max(0, v)
		}
	}
	return nil
}

// pixel returns the light of a pixel.
func (e *Environment) pixel(i int) geom.Vec {
	c := e.light[i]
	return geom.Vec{X: float64(c[0]), Y: float64(c[1]), Z: float64(c[2])}
}

// Bytes returns how many bytes of memory the map takes.
func (e *Environment) Bytes() int64 { return int64(len(e.light)) * 12 }

// Size returns the map's width and height in pixels.
func (e *Environment) Size() (width, height int) { return e.width, e.height }

// weigh sums the power of cells.
func (e *Environment) weigh() {
	e.columns = min(e.width, mostColumns)
	e.rows = e.columns / 2
	for row := range e.rows + 1 {
		e.cosines = append(e.cosines, math.Cos(math.Pi*float64(row)/float64(e.rows)))
	}
	power := make([]float64, e.columns*e.rows)
	for y := range e.height {
		solid := math.Sin(math.Pi*(float64(y)+0.5)/float64(e.height)) * 2 * math.Pi * math.Pi / float64(
			e.width*e.height,
		)
		for x := range e.width {
			light := e.pixel(y*e.width + x)
			power[y*e.rows/e.height*e.columns+x*e.columns/e.width] += (light.X + light.Y + light.Z) * solid
		}
	}
	e.sums = make([]float64, len(power))
	sum := 0.0
	for i, p := range e.spread(power) {
		sum += p
		e.sums[i] = sum
	}
	for i := range e.sums {
		if sum > 0 {
			e.sums[i] /= sum
		}
	}
}

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
	sin, cos := turn(u - 0.5)
	level, up := turn(v / 2)
	return geom.Vec{X: level * sin, Y: up, Z: -level * cos}
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
	upper := e.pixel(j*e.width+i).Lerp(e.pixel(j*e.width+k), fx)
	return upper.Lerp(e.pixel(below*e.width+i).Lerp(e.pixel(below*e.width+k), fx), fy)
}

// pick returns a direction, chosen by the power of cells, and the probability of the choice per steradian; 0 if all is
// dark.
func (e *Environment) pick(u, v float64) (geom.Vec, float64) {
	i := min(sort.SearchFloat64s(e.sums, u), len(e.sums)-1)
	low, share, density := e.cell(i)
	if share <= 0 {
		return geom.Vec{}, 0
	}
	// Level within the cell, by its solid angle.
	high, deep := e.edges(i / e.columns)
	up := high + (deep-high)*v
	level := math.Sqrt(max(0, 1-up*up))
	within := min(1, max(0, (u-low)/share))
	sin, cos := turn((float64(i%e.columns)+within)/float64(e.columns) - 0.5)
	return geom.Vec{X: level * sin, Y: up, Z: -level * cos}, density
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
	return e.cosines[row], e.cosines[row+1]
}

// density returns the probability per steradian with which pick chooses a direction.
func (e *Environment) density(d geom.Vec) float64 {
	u, v := place(d)
	_, _, density := e.cell(
		min(int(v*float64(e.rows)), e.rows-1)*e.columns + min(int(u*float64(e.columns)), e.columns-1),
	)
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

// skyLight returns the light that comes from a unit direction where there is no surface, without the sun's disc.
func (w *World) skyLight(d geom.Vec) geom.Vec {
	if w.around != nil {
		return w.around.at(w.around.own(d)).Scale(w.around.factor)
	}
	return w.gradient.Radiance(d)
}

// A skyTable picks directions of the sky by its light.
type skyTable struct {
	*around
	dark bool
	mean float64 // of the brightest channel, over all directions
}

// skyColumns is how fine a look's sky is weighed, in cells all around.
const skyColumns = 64

// weighSky makes a table of the environment or of the look's sky.
func (w *World) weighSky() skyTable {
	table := skyTable{around: w.around}
	if table.around == nil {
		e := &Environment{width: skyColumns, height: skyColumns / 2, light: make([][3]float32, skyColumns*skyColumns/2)}
		for i := range e.light {
			u, v := (float64(i%e.width)+0.5)/float64(e.width), (float64(i/e.width)+0.5)/float64(e.height)
			light := w.gradient.Radiance(direction(u, v))
			e.light[i] = [3]float32{float32(light.X), float32(light.Y), float32(light.Z)}
		}
		e.weigh()
		table.around = newAround(e, look.Environment{})
	}
	table.dark = table.sums[len(table.sums)-1] == 0 || table.factor == 0
	for i := range table.light {
		high := math.Sin(math.Pi * (float64(i/table.width) + 0.5) / float64(table.height))
		table.mean += table.pixel(i).Max() * table.factor * high * math.Pi / 2 / float64(len(table.light))
	}
	return table
}

// pickSky returns a direction of the sky, and the probability of the choice per steradian.
func (t *skyTable) pickSky(u, v float64) (geom.Vec, float64) {
	own, density := t.pick(u, v)
	return t.back(own), density
}

// skyDensity returns the probability per steradian with which pickSky chooses a direction.
func (t *skyTable) skyDensity(to geom.Vec) float64 { return t.density(t.own(to)) }
