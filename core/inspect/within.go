package inspect

import (
	"image"
	"math"
)

// neighbours returns the frames that one is held against: the one before and the one after it, or two on the one side
// that there is.
func (b *beside) neighbours(at int) []*measured {
	for _, i := range [][2]int{{at - 1, at + 1}, {at - 1, at - 2}, {at + 1, at + 2}} {
		if min(i[0], i[1]) >= 0 && max(i[0], i[1]) < len(b.chain) {
			return []*measured{b.chain[i[0]], b.chain[i[1]]}
		}
	}
	return nil
}

// bands finds strips and blocks of one value, where there is a picture in the frames beside, and takes frames with them
// out of the chain.
func (b *beside) bands() {
	b.leave(func(at int) bool {
		m, others := b.chain[at], b.neighbours(at)
		if others == nil {
			return false
		}
		if where := newLines(m, others); where.Dy() >= bandLines && m.gains(m.linesOf(where), others) {
			b.say(Band, m, where, float64(where.Dy()), "%d lines have one value only", where.Dy())
			return true
		}
		where, blocks := newBlocks(m, others)
		if float64(where.Dx()*where.Dy()) < bandShare*float64(m.width*m.height) ||
			!m.gains(m.blocksOf(where), others) {
			return false
		}
		b.say(Band, m, where, float64(blocks), "%d × %d pixels have one value only", where.Dx(), where.Dy())
		return true
	})
}

// gains reports whether a frame has more pixels of some values than each of the others, by at least half of those that
// are counted. What is flat by itself, and moves, is there in the others, too.
func (m *measured) gains(counted map[float32]int, others []*measured) bool {
	all := 0
	for _, n := range counted {
		all += n
	}
	for _, o := range others {
		more := 0
		for value := range counted {
			more += max(0, m.flat[value]-o.flat[value])
		}
		if 2*more < all {
			return false
		}
	}
	return true
}

// linesOf counts the pixels of blank lines by their values.
func (m *measured) linesOf(where image.Rectangle) map[float32]int {
	counted := map[float32]int{}
	for y := where.Min.Y; y < where.Max.Y; y++ {
		counted[m.lineLight[y]] += m.width
	}
	return counted
}

// blocksOf counts the pixels of blank blocks by their values.
func (m *measured) blocksOf(where image.Rectangle) map[float32]int {
	counted := map[float32]int{}
	for y := where.Min.Y; y < where.Max.Y; y += blockEdge {
		for x := where.Min.X; x < where.Max.X; x += blockEdge {
			if i := y/blockEdge*m.blocksWide() + x/blockEdge; m.blank[i] {
				counted[m.brightest[i]] += blockEdge * blockEdge
			}
		}
	}
	return counted
}

// newLines returns the most lines one below the other that are blank in a frame, and in none of the others.
func newLines(m *measured, others []*measured) image.Rectangle {
	best, from := image.Rectangle{}, -1
	for y := 0; y <= m.height; y++ {
		switch blank := y < m.height && m.blankLines[y] && !others[0].blankLines[y] && !others[1].blankLines[y]; {
		case blank && from < 0:
			from = y
		case !blank && from >= 0:
			if y-from > best.Dy() {
				best = image.Rect(0, from, m.width, y)
			}
			from = -1
		}
	}
	return best
}

// newBlocks returns the largest rectangle of blocks that are blank in a frame, and in none of the others; nothing if
// what is blank hangs together and is no rectangle.
func newBlocks(m *measured, others []*measured) (where image.Rectangle, blocks int) {
	wide := m.blocksWide()
	isNew := func(i int) bool { return m.blank[i] && !others[0].blank[i] && !others[1].blank[i] }
	seen := make([]bool, len(m.blank))
	for i := range m.blank {
		if seen[i] || !isNew(i) {
			continue
		}
		var part image.Rectangle // in blocks
		n, open := 0, []int{i}
		seen[i] = true
		for len(open) > 0 {
			at := open[len(open)-1]
			open = open[:len(open)-1]
			x, y := at%wide, at/wide
			part = part.Union(image.Rect(x, y, x+1, y+1))
			n++
			for _, next := range [][2]int{{x - 1, y}, {x + 1, y}, {x, y - 1}, {x, y + 1}} {
				to := next[1]*wide + next[0]
				if next[0] >= 0 && next[0] < wide && to >= 0 && to < len(m.blank) && !seen[to] && isNew(to) {
					seen[to] = true
					open = append(open, to)
				}
			}
		}
		if full := part.Dx() * part.Dy(); n > blocks && n > 1 && 10*n >= 9*full {
			blocks = n
			where = image.Rect(part.Min.X*blockEdge, part.Min.Y*blockEdge, part.Max.X*blockEdge,
				part.Max.Y*blockEdge).Intersect(image.Rect(0, 0, m.width, m.height))
		}
	}
	return where, blocks
}

// searched is how many of the specks of a frame are looked for in the frames beside it, the brightest ones.
const searched = 200

// fireflies finds bright specks that are in no frame beside.
func (b *beside) fireflies(shot []int) {
	alone := make([][]spike, len(shot))
	brightest := make([]float64, len(shot))
	for at := range shot {
		m := b.chain[shot[at]]
		reach := max(8, m.width/20)
		inner := image.Rect(0, 0, m.width, m.height)
		var others []*measured
		for _, i := range []int{at - 1, at + 1} {
			if i >= 0 && i < len(shot) {
				others = append(others, b.chain[shot[i]])
			}
		}
		switch len(others) {
		case 0:
			continue
		case 1: // what leaves the picture there is in no other one
			inner = inner.Inset(reach)
		}
		for _, s := range m.spikes[:min(len(m.spikes), searched)] {
			known := !image.Pt(s.x, s.y).In(inner)
			for _, o := range others {
				known = known || o.hasSpeck(s, reach)
			}
			if !known {
				alone[at] = append(alone[at], s)
			}
		}
		if len(alone[at]) > 0 {
			brightest[at] = float64(alone[at][0].light)
		}
	}
	for at, specks := range alone {
		if len(specks) == 0 {
			continue
		}
		usual := median(nearby(brightest, at, at))
		s := specks[0]
		if float64(s.light) < spikeTimes*usual {
			continue
		}
		m := b.chain[shot[at]]
		where := image.Rect(s.x-2, s.y-2, s.x+3, s.y+3).Intersect(image.Rect(0, 0, m.width, m.height))
		b.say(Firefly, m, where, float64(len(specks)), "%s, the brightest with %.3g, %.0f times what surrounds it",
			specksInWords(len(specks)), s.light, s.times)
	}
}

func specksInWords(n int) string {
	if n == 1 {
		return "a bright speck lives for one frame"
	}
	return "bright specks live for one frame"
}

// hasSpeck reports whether a frame has anything that is not much darker close to a speck, or such a speck near it.
func (m *measured) hasSpeck(s spike, reach int) bool {
	high := len(m.brightest) / m.blocksWide()
	for y := max(0, s.y/blockEdge-1); y <= min(high-1, s.y/blockEdge+1); y++ {
		for x := max(0, s.x/blockEdge-1); x <= min(m.blocksWide()-1, s.x/blockEdge+1); x++ {
			if m.brightest[y*m.blocksWide()+x]*spikeTimes >= s.light {
				return true
			}
		}
	}
	for _, o := range m.spikes {
		if float64(o.light)*spikeTimes < float64(s.light) { // those that follow are darker
			return false
		}
		if abs(o.x-s.x) <= reach && abs(o.y-s.y) <= reach {
			return true
		}
	}
	return false
}

// noises finds frames of which the noise is unlike that of the rest of their shot, and begins or ends there at once.
func (b *beside) noises(shot []int) {
	all := make([]float64, len(shot))
	for at, i := range shot {
		all[at] = max(leastNoise, b.chain[i].noise)
	}
	if len(all) < 4 {
		return
	}
	for first := 0; first < len(all); {
		usual := median(append(nearby(all, first, first), all[first]))
		if first > 0 && ratio(all[first], all[first-1]) < noiseTimes || ratio(all[first], usual) < noiseTimes {
			first++
			continue
		}
		end := first + 1
		for end < len(all) && ratio(all[end], all[end-1]) < noiseTimes {
			end++
		}
		begins, ends := b.calm(shot, first), b.calm(shot, end) // there at least it is not the picture that changes
		between := first > 0 && end < len(all)
		if 2*(end-first) <= len(all) && (begins || ends) &&
			!(between && (all[first] > all[first-1]) != (all[end-1] > all[end])) {
			for at := first; at < end; at++ {
				b.noisy(b.chain[shot[at]], all[at]/usual)
			}
		}
		first = end
	}
}

// ratio returns how many times the larger of two is as large as the other.
func ratio(a, b float64) float64 { return math.Max(a, b) / math.Min(a, b) }

// calm reports whether a border lies within a shot, and the picture is much the same on both sides of it.
func (b *beside) calm(shot []int, at int) bool {
	if at == 0 || at == len(shot) {
		return false
	}
	i := shot[at] - 1
	return b.steps[i] <= max(leastCut, 2*median(nearby(b.steps, i, i)))
}

func (b *beside) noisy(m *measured, times float64) {
	if times > 1 {
		b.say(Noise, m, image.Rectangle{}, times, "%.1f times the noise that is usual here", times)
	} else {
		b.say(Noise, m, image.Rectangle{}, times, "%.2f times the noise that is usual here", times)
	}
}
