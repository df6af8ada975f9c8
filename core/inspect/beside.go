package inspect

import (
	"fmt"
	"image"
	"math"
	"slices"
)

// Thresholds of what frames show beside each other. Steps are means of how much the cells of the grid differ, in
// encoded light from 0 to 1.
const (
	fadeShare   = 0.25
	repeatShare = 0.05
	jumpTimes   = 1.35
	jumpSpread  = 4.0 // times the median distance from the median
	fadeStops   = 0.05
	leastApart  = 0.75
	leastStep   = 0.002 // of a jump, beside which smaller ones do not count
	cutTimes    = 2.5   // as the steps around it, where another shot begins
	leastCut    = 0.02
	bandShare   = 0.004
	bandLines   = 4
	noiseTimes  = 1.5
	leastNoise  = 0.002 // of encoded light; less is not seen
	loopTimes   = 1.5
	around      = 6 // frames on each side that are nearby
)

// beside holds frames of one size against each other.
type beside struct {
	frames   []*measured
	chain    []*measured          // without those that are black, empty, not whole, repeated, or a jump
	shots    [][]int              // of the chain, by where it is cut
	changes  []change             // of the chain: from each frame to the next one
	steps    []float64            // of these
	known    map[[2]uint64]change // that were measured, by the sums of the frames
	loopStep float64
	found    []Finding
}

func (b *beside) say(f Fault, m *measured, where image.Rectangle, number float64, format string, args ...any) {
	b.found = append(b.found, Finding{f, m.number, place(where), number, fmt.Sprintf(format, args...)})
}

func (b *beside) all() {
	b.blacks()
	b.bands()
	b.repeats()
	b.jumps()
	b.cuts()
	for _, shot := range b.shots {
		b.fireflies(shot)
		b.noises(shot)
	}
	b.closing()
}

// blacks finds the frames without light, and leaves them and the empty ones out of the chain.
func (b *beside) blacks() {
	bright := b.usualLight() * fadeShare
	for i, m := range b.frames {
		empty := slices.ContainsFunc(m.own, func(f Finding) bool { return f.Fault == Empty })
		switch {
		case m.most > blackLight && !empty:
			b.chain = append(b.chain, m)
		case empty:
		case bright == 0 || b.litBeside(i, -1) > bright || b.litBeside(i, 1) > bright:
			b.say(Black, m, image.Rectangle{}, m.most, "there is no light anywhere")
		}
	}
}

// usualLight returns the mean light of frames that are not black; 0 if there are none.
func (b *beside) usualLight() float64 {
	var means []float64
	for _, m := range b.frames {
		if m.most > blackLight {
			means = append(means, m.mean)
		}
	}
	return median(means)
}

// litBeside returns the mean light of the first frame that is not black, in a direction; 0 if there is none.
func (b *beside) litBeside(i, by int) float64 {
	for i += by; i >= 0 && i < len(b.frames); i += by {
		if b.frames[i].most > blackLight {
			return b.frames[i].mean
		}
	}
	return 0
}

// A motion is by how many cells the picture has moved, in each part of it.
type motion []image.Point

// Parts of the picture move by themselves: things that are near pass those that are far.
const (
	partEdge = 16 // cells, or a little more
	farthest = 10 // cells that a part may move from frame to frame
	near     = 2  // cells that it may be off what is expected
)

// partsOf returns the parts of the grid, as rectangles of cells.
func partsOf(m *measured) []image.Rectangle {
	wide, high := max(1, m.cellsWide/partEdge), max(1, m.cellsHigh/partEdge)
	var all []image.Rectangle
	for y := range high {
		for x := range wide {
			all = append(all, image.Rect(x*m.cellsWide/wide, y*m.cellsHigh/high, (x+1)*m.cellsWide/wide,
				(y+1)*m.cellsHigh/high))
		}
	}
	return all
}

// A change is how much two frames differ when each part of the first is moved so that it differs least, and how far
// they are moved then.
type change struct {
	step float64
	motion
}

// between finds out how two frames differ. If motions are expected, only those near one of them are tried.
func between(from, to *measured, expected ...motion) (c change) {
	parts := partsOf(from)
	for i, part := range parts {
		least, best := math.Inf(1), image.Point{}
		try := func(r image.Rectangle) {
			for dy := r.Min.Y; dy < r.Max.Y; dy++ {
				for dx := r.Min.X; dx < r.Max.X; dx++ {
					far := 1 + 0.01*float64(max(abs(dx), abs(dy))) // of two that are as good it is the shorter one
					if d := far * stepBy(from, to, part, dx, dy, least/far); d < least {
						least, best = d, image.Pt(dx, dy)
					}
				}
			}
		}
		if len(expected) == 0 {
			try(image.Rect(-farthest, -farthest, farthest+1, farthest+1))
		}
		for _, m := range expected {
			try(image.Rect(-near, -near, near+1, near+1).Add(m[i]))
		}
		if math.IsInf(least, 1) { // nothing of the part is left where it is expected
			least, best = stepBy(from, to, part, 0, 0, least), image.Point{}
		}
		c.motion = append(c.motion, best)
		c.step += least / float64(len(parts))
	}
	return c
}

// plus returns one motion after another.
func (m motion) plus(n motion) motion {
	sum := make(motion, len(m))
	for i := range m {
		sum[i] = m[i].Add(n[i])
	}
	return sum
}

// half returns half of a motion.
func (m motion) half() motion {
	halves := make(motion, len(m))
	for i, p := range m {
		halves[i] = image.Pt(p.X/2, p.Y/2)
	}
	return halves
}

// still returns how much two frames differ when nothing is moved.
func still(from, to *measured) float64 {
	return stepBy(from, to, image.Rect(0, 0, from.cellsWide, from.cellsHigh), 0, 0, math.Inf(1))
}

// stepBy returns how much the cells of a part of one frame differ from those of the other that lie so far from it, as
// far as there are any; if that are too few, or it is not less than a limit, it is infinite.
func stepBy(from, to *measured, part image.Rectangle, dx, dy int, limit float64) float64 {
	at := part.Add(image.Pt(dx, dy)).Intersect(image.Rect(0, 0, from.cellsWide, from.cellsHigh))
	if 2*at.Dx()*at.Dy() < part.Dx()*part.Dy() {
		return math.Inf(1)
	}
	var sum float32
	most := float32(limit * float64(at.Dx()*at.Dy()))
	for y := at.Min.Y; y < at.Max.Y; y++ {
		is := to.cells[y*from.cellsWide+at.Min.X : y*from.cellsWide+at.Max.X]
		was := from.cells[(y-dy)*from.cellsWide+at.Min.X-dx:][:len(is)]
		for i, v := range was {
			d := v - is[i]
			if d < 0 {
				d = -d
			}
			sum += d
		}
		if sum >= most {
			return math.Inf(1)
		}
	}
	return float64(sum) / float64(at.Dx()*at.Dy())
}

func abs(n int) int { return max(n, -n) }

// median returns the middle of values, 0 of none.
func median(values []float64) float64 {
	if len(values) == 0 {
		return 0
	}
	sorted := slices.Sorted(slices.Values(values))
	return sorted[len(sorted)/2]
}

// spread returns the median of how far values are from theirs.
func spread(values []float64) float64 {
	usual := median(values)
	var far []float64
	for _, v := range values {
		far = append(far, math.Abs(v-usual))
	}
	return median(far)
}

// nearby returns the values around one, without those from first to last.
func nearby[T any](values []T, first, last int) []T {
	before := values[max(0, first-around):first]
	return append(slices.Clone(before), values[min(len(values), last+1):min(len(values), last+1+around)]...)
}

// jumps finds the frames that are unlike both of their neighbours while these are alike, and takes them out of the
// chain. How much of that is usual depends on how things move in the shot.
func (b *beside) jumps() {
	n := len(b.chain)
	if n < 4 {
		return
	}
	b.measure()
	apart := make([]float64, n) // how much each is unlike its neighbours, beside how much these are
	leads := make([]bool, n)    // it lies between them, as in a fade
	for i := 1; i+1 < n; i++ {
		apart[i], leads[i] = b.apart(i)
	}
	strayed := b.strayed()
	places := len(placesOf(b.chain[0]))
	b.leave(func(i int) bool {
		if i == 0 || i == n-1 || leads[i] {
			return false
		}
		others := nearby(apart[1:n-1], i-1, i-1)
		usual := median(others)
		jumps := apart[i] >= max(leastApart, jumpTimes*usual, usual+jumpSpread*spread(others)) &&
			apart[i] >= apart[i-1] && apart[i] >= apart[i+1]
		if !jumps && !strays(strayed, i, places) {
			return false
		}
		if more := b.chain[i].noise / max(leastNoise, median(b.noisesNear(i))); more >= noiseTimes {
			b.noisy(b.chain[i], more) // which is what differs
			return true
		}
		if !jumps {
			b.say(Jump, b.chain[i], unlike(b.chain[i-1], b.chain[i], b.chain[i+1]), float64(strayed[i]),
				"it differs from both neighbours in %d of %d places, which hardly change otherwise", strayed[i], places)
			return true
		}
		b.say(Jump, b.chain[i], unlike(b.chain[i-1], b.chain[i], b.chain[i+1]), apart[i]/usual,
			"it differs from both neighbours, %.1f times as much as is usual here", apart[i]/usual)
		return true
	})
}

// apart holds the steps to and from a frame against the one past it. Things are expected to move on as they do past it,
// before it, or after it.
func (b *beside) apart(i int) (times float64, leads bool) {
	ways := []motion{b.changes[i-1].plus(b.changes[i].motion)}
	to, on := []motion{}, []motion{}
	if i > 1 {
		before := b.changes[i-2].motion
		ways, to = append(ways, before.plus(before)), append(to, before)
	}
	if i+1 < len(b.changes) {
		after := b.changes[i+1].motion
		ways, on = append(ways, after.plus(after)), append(on, after)
	}
	over := between(b.chain[i-1], b.chain[i+1], ways...)
	there := between(b.chain[i-1], b.chain[i], append(to, over.half())...)
	back := between(b.chain[i], b.chain[i+1], append(on, over.half())...)
	times = min(there.step, back.step) / (over.step/2 + median(nearby(b.steps, i-1, i)) + leastStep)
	return times, fades(b.chain[i-1].mean, b.chain[i].mean, b.chain[i+1].mean)
}

// fades reports whether light grows, or fades, from frame to frame.
func fades(before, now, after float64) bool {
	to, on := math.Log2(now/before), math.Log2(after/now)
	return to > fadeStops && on > fadeStops || to < -fadeStops && on < -fadeStops
}

// leave takes frames out of the chain.
func (b *beside) leave(out func(i int) bool) {
	var kept []*measured
	for i, m := range b.chain {
		if !out(i) {
			kept = append(kept, m)
		}
	}
	b.chain = kept
}

// measure finds out how each frame of the chain differs from the next.
func (b *beside) measure() {
	b.changes, b.steps = nil, nil
	for i := 1; i < len(b.chain); i++ {
		pair := [2]uint64{b.chain[i-1].sum, b.chain[i].sum}
		if _, known := b.known[pair]; !known {
			b.known[pair] = between(b.chain[i-1], b.chain[i])
		}
		b.changes = append(b.changes, b.known[pair])
		b.steps = append(b.steps, b.known[pair].step)
	}
}

// noisesNear returns the noise of the frames around one.
func (b *beside) noisesNear(i int) []float64 {
	var all []float64
	for _, m := range b.chain {
		all = append(all, m.noise)
	}
	return nearby(all, i, i)
}

// unlike returns where a frame differs from its neighbours; nothing if that is most of the picture.
func unlike(before, m, after *measured) image.Rectangle {
	differences := make([]float64, len(m.cells))
	for i, v := range m.cells {
		differences[i] = min(math.Abs(float64(v-before.cells[i])), math.Abs(float64(v-after.cells[i])))
	}
	most := slices.Max(differences)
	var where image.Rectangle
	for i, d := range differences {
		if d > most/2 {
			where = where.Union(m.cell(i%m.cellsWide, i/m.cellsWide))
		}
	}
	if where.Dx()*where.Dy() > m.width*m.height*6/10 {
		return image.Rectangle{}
	}
	return where
}

// cell returns the pixels of a cell.
func (m *measured) cell(x, y int) image.Rectangle {
	return image.Rect(x*m.width/m.cellsWide, y*m.height/m.cellsHigh, (x+1)*m.width/m.cellsWide,
		(y+1)*m.height/m.cellsHigh)
}

// cuts finds where another shot begins.
func (b *beside) cuts() {
	b.measure()
	var shot []int
	for i := range b.chain {
		if i > 0 {
			if usual := median(nearby(b.steps, i-1, i-1)); b.steps[i-1] > max(leastCut, cutTimes*usual) {
				b.shots = append(b.shots, shot)
				shot = nil
			}
		}
		shot = append(shot, i)
	}
	b.shots = append(b.shots, shot)
	for _, at := range []int{0, len(b.shots) - 2} { // a frame by itself at an end is no shot
		if at >= 0 && at+1 < len(b.shots) && min(len(b.shots[at]), len(b.shots[at+1])) == 1 {
			b.shots[at] = append(b.shots[at], b.shots[at+1]...)
			b.shots = slices.Delete(b.shots, at+1, at+2)
		}
	}
}

// repeats finds the frames that are the same as the one before, or the one after, while things move, and takes them out
// of the chain.
func (b *beside) repeats() {
	var steps []float64 // without moving anything
	for i := 1; i < len(b.chain); i++ {
		steps = append(steps, still(b.chain[i-1], b.chain[i]))
	}
	dark := b.usualLight() * fadeShare // where hardly anything is seen to move
	again := map[int]bool{}
	for i, d := range steps {
		others := nearby(steps, i, i)
		usual := median(others)
		small := 0
		for _, o := range others {
			if o <= repeatShare*usual {
				small++
			}
		}
		same := b.chain[i].sum == b.chain[i+1].sum
		if len(others) < 3 || usual == 0 || d >= repeatShare*usual || 3*small >= len(others) ||
			!same && (usual < leastStep || b.chain[i].mean < dark) {
			continue
		}
		at, is := i+1, "before"
		if i > 0 && i+1 < len(steps) && steps[i-1] > 1.3*steps[i+1] { // the wide step is before the two
			at, is = i, "after"
		}
		again[at] = true
		b.say(Repeated, b.chain[at], image.Rectangle{}, d/usual, "it is the frame %s again, while others move", is)
	}
	b.leave(func(i int) bool { return again[i] })
}

// closing measures the step from the last frame to the first.
func (b *beside) closing() {
	if len(b.chain) < 3 {
		return
	}
	// Things are to move on there as they do before and after it.
	ends := []motion{b.changes[0].motion, b.changes[len(b.changes)-1].motion}
	c := between(b.chain[len(b.chain)-1], b.chain[0], ends...)
	if most := slices.Max(b.steps); most > 0 {
		b.loopStep = c.step / most
	}
}

// loop says whether the frames play as a loop.
func (b *beside) loop() []Finding {
	last := b.chain[len(b.chain)-1]
	switch same := last.sum == b.chain[0].sum; {
	case slices.Max(b.steps) == 0:
		return nil
	case same:
		return []Finding{{Fault: Loop, Frame: last.number,
			Text: "it is the first frame again, so that the loop stands still for a frame"}}
	case b.loopStep > loopTimes:
		return []Finding{{Fault: Loop, Frame: last.number, Number: b.loopStep, Text: fmt.Sprintf(
			"the step to the first frame is %.1f times as large as the largest of the others", b.loopStep)}}
	}
	return nil
}
