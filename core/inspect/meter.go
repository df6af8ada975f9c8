package inspect

import (
	"cmp"
	"fmt"
	"image"
	"math"
	"math/bits"
	"slices"
	"sync"

	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// Thresholds of what one frame shows by itself.
const (
	alphaSlack    = 1e-3 // half floats and filters round
	negativeSlack = 0.01 // filters with negative lobes go a little below 0 beside what is bright
	blackLight    = 1e-4
	spikeTimes    = 4.0
	spikeLeast    = 0.2 // light; less is not seen
	mostSpikes    = 2000
)

// What is measured of a picture is measured in these parts of it.
const (
	blockEdge = 16 // pixels of an edge of a block; 256 lines, which are read together, are whole blocks
	mostCells = 96 // of the grid of means, across
	leastCell = 6  // pixels of an edge of a cell, so that noise is little in it
)

// A spike is a pixel that is much brighter than what surrounds it.
type spike struct {
	x, y  int
	light float32
	times float64 // what surrounds it
}

// A measured is what is kept of a frame: enough to hold it against others.
type measured struct {
	number        int
	width, height int
	channels      []string
	lit           bool // it has light: red, green and blue, or grey
	own           []Finding
	sum           uint64 // of all values
	most, mean    float64
	cells         []float32 // means of encoded light
	cellsWide     int
	cellsHigh     int
	blank         []bool          // blocks of one value
	brightest     []float32       // light of blocks
	lineLight     []float32       // of the first pixel of each line
	flat          map[float32]int // how many pixels of a value stand in runs of it
	blankLines    []bool
	noise         float64 // standard deviation of encoded light, in the calmest parts
	spikes        []spike // the brightest first
}

func (m *measured) blocksWide() int { return (m.width + blockEdge - 1) / blockEdge }

// A meter measures a frame, some lines after the other.
type meter struct {
	measured
	faults   map[Fault]*count
	total    float64
	counts   []int       // of pixels in cells
	sums     []float64   // of cells
	noises   []float64   // of blocks
	light    []float32   // of the lines that are being measured
	encoded  []float32   // likewise
	first    [4]float32  // the values of the first pixel: red, green, blue, alpha
	same     bool        // all pixels are alike
	opaque   bool        // alpha is not 0 everywhere
	before   [][]float32 // the last lines of light, for specks at the border
	alphaToo bool
}

// A count is of values that are out of range, and where they are.
type count struct {
	values int
	worst  float64
	where  image.Rectangle
}

func (c *count) add(x, y int, by float64) {
	c.values++
	if math.Abs(by) > math.Abs(c.worst) {
		c.worst = by
	}
	c.where = c.where.Union(image.Rect(x, y, x+1, y+1))
}

// measureFrame reads the first part of a file.
func measureFrame(number int, file *picture.File) (measured, error) {
	h := file.Headers[0]
	m := newMeter(number, h.Width(), h.Height())
	for y := 0; y < m.height; y += linesAtOnce {
		p, err := file.Lines(0, y, min(y+linesAtOnce, m.height))
		if err != nil {
			return m.measured, err
		}
		m.lines(p.Image, y)
	}
	m.finish()
	return m.measured, nil
}

func newMeter(number, width, height int) *meter {
	m := &meter{
		measured: measured{number: number, width: width, height: height},
		faults:   map[Fault]*count{}, same: true,
	}
	m.cellsWide = max(1, min(mostCells, m.width/leastCell))
	m.cellsHigh = max(1, m.cellsWide*m.height/m.width)
	m.counts, m.sums = make([]int, m.cellsWide*m.cellsHigh), make([]float64, m.cellsWide*m.cellsHigh)
	m.blank = make([]bool, m.blocksWide()*((m.height+blockEdge-1)/blockEdge))
	m.brightest = make([]float32, len(m.blank))
	m.lineLight, m.flat = make([]float32, m.height), map[float32]int{}
	m.blankLines = make([]bool, m.height)
	return m
}

// lines measures those from y on.
func (m *meter) lines(img *pixel.Image, y int) {
	if y == 0 {
		for _, p := range img.Planes {
			m.channels = append(m.channels, p.Name)
		}
		slices.Sort(m.channels)
	}
	for _, p := range img.Planes {
		m.values(p, y)
	}
	if red, green, blue := lightOf(img); red != nil {
		m.lit = true
		var alpha []float32
		if a := img.Plane("A"); a != nil {
			alpha, m.alphaToo = a.Data, true
		}
		m.lightOf(red, green, blue, alpha, y)
	}
}

// lightOf returns the planes of light, nil if there are none.
func lightOf(img *pixel.Image) (red, green, blue []float32) {
	r, g, b := img.Plane("R"), img.Plane("G"), img.Plane("B")
	if r != nil && g != nil && b != nil {
		return r.Data, g.Data, b.Data
	}
	if grey := img.Plane("Y"); grey != nil {
		return grey.Data, grey.Data, grey.Data
	}
	return nil, nil, nil
}

// sumFactor spreads the values in a sum: 2 to the 64th by the golden ratio, odd.
const sumFactor = 0x9e3779b97f4a7c15

// values looks for numbers that cannot be, and adds all of them to the sum.
func (m *meter) values(p pixel.Plane, y int) {
	lit := p.Name == "R" || p.Name == "G" || p.Name == "B" || p.Name == "Y"
	least, most := float32(math.Inf(-1)), float32(math.Inf(1))
	fault := Negative
	switch {
	case lit:
		least = -negativeSlack
	case p.Name == "A":
		least, most, fault = -alphaSlack, 1+alphaSlack, Alpha
	}
	sum := m.sum
	for i, v := range p.Data {
		sum = bits.RotateLeft64(sum^uint64(math.Float32bits(v)), 23) * sumFactor
		if v-v != 0 { // not finite
			m.count(NotFinite).add(i%m.width, y+i/m.width, 0)
		} else if v < least || v > most {
			by := float64(v)
			if fault == Alpha && v > 1 {
				by = float64(v) - 1
			}
			m.count(fault).add(i%m.width, y+i/m.width, by)
		}
	}
	m.sum = sum
}

func (m *meter) count(f Fault) *count {
	if m.faults[f] == nil {
		m.faults[f] = &count{}
	}
	return m.faults[f]
}

// finite returns a value, 0 for what is no number.
func finite(v float32) float32 {
	if v-v != 0 {
		return 0
	}
	return v
}

// encoding brings light to about even steps for the eye: 0 stays 0, and 4 becomes 1. It is by the sign, the exponent
// and the first ten bits of the fraction of a value, which is all that a half has; see codeOf.
var encoding = sync.OnceValue(func() []float32 {
	table := make([]float32, 1<<(32-codeShift))
	for i := range table {
		v := float64(math.Float32frombits(uint32(i) << codeShift))
		if v > 0 && !math.IsInf(v, 0) {
			table[i] = float32(math.Log2(1+16*v) / math.Log2(1+16*4))
		}
	}
	return table
})

const codeShift = 13

func codeOf(v float32) uint32 { return math.Float32bits(v) >> codeShift }

// lightOf measures light in lines from y on. Luminance is by ITU-R BT.709, item 3.2.
func (m *meter) lightOf(red, green, blue, alpha []float32, y int) {
	n := len(red)
	m.light, m.encoded = slices.Grow(m.light[:0], n)[:n], slices.Grow(m.encoded[:0], n)[:n]
	if y == 0 {
		m.first = [4]float32{red[0], green[0], blue[0]}
	}
	encoded := encoding()
	for i := range n {
		r, g, b := finite(red[i]), finite(green[i]), finite(blue[i])
		light := 0.2126*r + 0.7152*g + 0.0722*b
		m.light[i], m.encoded[i] = light, encoded[codeOf(light)]
		m.most = max(m.most, float64(max(r, g, b)))
		m.total += float64(light)
		m.same = m.same && r == m.first[0] && g == m.first[1] && b == m.first[2]
		m.opaque = m.opaque || alpha != nil && alpha[i] != 0
	}
	lines := n / m.width
	for line := range lines {
		m.cellsOf(m.encoded[line*m.width:][:m.width], y+line)
		m.blankLines[y+line] = oneValue(m.light, m.width, 0, line, m.width, line+1)
		m.lineLight[y+line] = m.light[line*m.width]
		m.runsOf(m.light[line*m.width:][:m.width])
	}
	for top := 0; top < lines; top += blockEdge {
		for left := 0; left < m.width; left += blockEdge {
			right, bottom := min(left+blockEdge, m.width), min(top+blockEdge, lines)
			at := (y+top)/blockEdge*m.blocksWide() + left/blockEdge
			m.brightest[at] = brightestOf(m.light, m.width, left, top, right, bottom)
			if m.blank[at] = oneValue(m.light, m.width, left, top, right, bottom); !m.blank[at] {
				m.noises = append(m.noises, noiseOf(m.encoded, m.width, left, top, right, bottom))
			}
		}
	}
	m.specks(y)
}

// cellsOf adds a line to the grid.
func (m *meter) cellsOf(line []float32, y int) {
	row := y * m.cellsHigh / m.height * m.cellsWide
	for at := range m.cellsWide {
		var sum float32
		part := line[at*m.width/m.cellsWide : (at+1)*m.width/m.cellsWide]
		for _, v := range part {
			sum += v
		}
		m.sums[row+at] += float64(sum)
		m.counts[row+at] += len(part)
	}
}

const (
	leastRun = 4    // pixels of one value
	mostFlat = 4096 // values that are counted
)

// runsOf counts the pixels of a line that stand in runs of one value.
func (m *meter) runsOf(line []float32) {
	for from := 0; from < len(line); {
		to := from + 1
		for to < len(line) && line[to] == line[from] {
			to++
		}
		if _, known := m.flat[line[from]]; to-from >= leastRun && (known || len(m.flat) < mostFlat) {
			m.flat[line[from]] += to - from
		}
		from = to
	}
}

// oneValue reports whether all pixels of a part are alike.
func oneValue(light []float32, width, left, top, right, bottom int) bool {
	first := light[top*width+left]
	for y := top; y < bottom; y++ {
		for _, v := range light[y*width+left : y*width+right] {
			if v != first {
				return false
			}
		}
	}
	return true
}

// brightestOf returns the most light of a part.
func brightestOf(light []float32, width, left, top, right, bottom int) (most float32) {
	for y := top; y < bottom; y++ {
		most = max(most, slices.Max(light[y*width+left:y*width+right]))
	}
	return most
}

// noiseOf returns the standard deviation of what is diagonal in squares of four pixels, which edges and slopes of a
// picture hardly are, taken for noise that is Gaussian.
func noiseOf(encoded []float32, width, left, top, right, bottom int) float64 {
	sum, n := 0.0, 0
	for y := top; y+1 < bottom; y += 2 {
		above, below := encoded[y*width:], encoded[(y+1)*width:]
		for x := left; x+1 < right; x += 2 {
			sum += math.Abs(float64(above[x]-above[x+1]-below[x]+below[x+1])) / 2
			n++
		}
	}
	return sum / float64(max(1, n)) / 0.7979 // the mean of the absolute value of a standard normal variable
}

// specks looks for pixels that are much brighter than the ring around them. Lines of the part before are needed for the
// first ones.
func (m *meter) specks(y int) {
	const reach = 2
	lines := m.before
	for i := 0; i < len(m.light); i += m.width {
		lines = append(lines, m.light[i:i+m.width])
	}
	top := y - len(m.before)
	for at := reach; at < len(lines)-reach; at++ {
		m.specksOf(lines[at-reach:at+reach+1], top+at)
	}
	m.before = nil
	for _, line := range lines[max(0, len(lines)-2*reach):] {
		m.before = append(m.before, slices.Clone(line))
	}
}

// specksOf looks at the third of five lines.
func (m *meter) specksOf(lines [][]float32, y int) {
	const reach = 2
	line := lines[reach]
	for x := reach; x < m.width-reach; x++ {
		v := line[x]
		if v < spikeLeast || v < spikeTimes*line[x-reach] || v < spikeTimes*line[x+reach] ||
			v < line[x-1] || v <= line[x+1] || v < lines[1][x] || v <= lines[3][x] {
			continue
		}
		var ring float32
		for dx := -reach; dx <= reach; dx++ {
			ring = max(ring, lines[0][x+dx], lines[4][x+dx])
		}
		for dy := 1; dy < 4; dy++ {
			ring = max(ring, lines[dy][x-reach], lines[dy][x+reach])
		}
		if v >= spikeTimes*ring && v-ring >= spikeLeast {
			m.spikes = append(m.spikes, spike{x, y, v, float64(v) / math.Max(float64(ring), 1e-3)})
		}
	}
}

// finish says what is wrong with the frame by itself.
func (m *meter) finish() {
	for _, f := range []Fault{NotFinite, Alpha, Negative} {
		if c := m.faults[f]; c != nil {
			m.own = append(m.own, c.finding(f, m.number))
		}
	}
	if !m.lit {
		return
	}
	m.mean = m.total / float64(m.width*m.height)
	m.cells = make([]float32, len(m.sums))
	for i, n := range m.counts {
		m.cells[i] = float32(m.sums[i] / float64(max(1, n)))
	}
	if len(m.noises) > 0 {
		slices.Sort(m.noises)
		m.noise = m.noises[len(m.noises)/4]
	}
	slices.SortFunc(m.spikes, func(a, b spike) int { return cmp.Compare(b.light, a.light) })
	m.spikes = slices.Clone(m.spikes[:min(len(m.spikes), mostSpikes)])
	switch black := m.most <= blackLight; {
	case m.alphaToo && !m.opaque:
		m.own = append(m.own, Finding{Fault: Empty, Frame: m.number, Text: "alpha is 0 everywhere"})
	case m.same && !black:
		m.own = append(m.own, Finding{
			Fault: Empty, Frame: m.number, Number: m.mean, Text: "every pixel is the same",
		})
	}
}

func (c *count) finding(f Fault, number int) Finding {
	found := Finding{Fault: f, Frame: number, Place: place(c.where), Number: float64(c.values)}
	switch f {
	case NotFinite:
		found.Text = fmt.Sprintf("%d values are no numbers, or infinite", c.values)
	case Alpha:
		if c.worst > 0 {
			found.Text = fmt.Sprintf("%d values of alpha are out of range, up to %.4g", c.values, 1+c.worst)
		} else {
			found.Text = fmt.Sprintf("%d values of alpha are out of range, down to %.4g", c.values, c.worst)
		}
	default:
		found.Text = fmt.Sprintf("%d values of light are negative, down to %.4g", c.values, c.worst)
	}
	return found
}
