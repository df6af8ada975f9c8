package trace

import (
	"math"
	"runtime"

	"reelhouse/core/geom"
)

// A bvh is a tree of boxes over items that have a box each. Its nodes lie in one slice; the left child
// of an inner node follows it directly.
type bvh struct {
	nodes []bvhNode
	order []int32 // items, in the order in which leaves refer to them
}

// A bvhNode has its box in single precision, a little larger than what is in it, so that rounding never
// loses a hit; it fills half a cache line.
type bvhNode struct {
	min, max [3]float32
	first    int32 // leaf: first of its items in order; inner: the right child
	count    int16 // leaf: how many items; inner: 0
	axis     int16 // inner: the axis that separates the children
}

func newNode(box *span, first, count, axis int) bvhNode {
	n := bvhNode{first: int32(first), count: int16(count), axis: int16(axis)}
	for i := range 3 {
		low, high := float64(box.min[i]), float64(box.max[i])
		n.min[i] = float32(low - padding - 1e-6*math.Abs(low))
		n.max[i] = float32(high + padding + 1e-6*math.Abs(high))
	}
	return n
}

// A span is a box in single precision, which the padding of nodes makes up for.
type span struct{ min, max [3]float32 }

func noSpan() span {
	inf := float32(math.Inf(1))
	return span{[3]float32{inf, inf, inf}, [3]float32{-inf, -inf, -inf}}
}

// grow takes in another span.
func (s *span) grow(o *span) {
	for i := range 3 {
		if o.min[i] < s.min[i] {
			s.min[i] = o.min[i]
		}
		if o.max[i] > s.max[i] {
			s.max[i] = o.max[i]
		}
	}
}

// halfArea returns half of the surface, 0 for nothing.
func (s *span) halfArea() float64 {
	if s.min[0] > s.max[0] {
		return 0
	}
	x, y, z := float64(s.max[0]-s.min[0]), float64(s.max[1]-s.min[1]), float64(s.max[2]-s.min[2])
	return x*y + y*z + z*x
}

const (
	bins     = 12   // candidate cuts along an axis
	maxLeaf  = 8    // most items in a leaf that can still be cut
	boxCost  = 2.0  // of going one level down, in tests of one item
	maxStack = 64   // deepest tree
	padding  = 1e-4 // metres around a box; covers single precision within a kilometre of the origin
)

// Limits of building.
const (
	maxCount    = math.MaxInt16 // items in a leaf, whatever they are
	evenBelow   = 38            // levels from which on items are simply halved, so that the tree ends within maxStack
	forkAbove   = 1 << 14       // items for which it is worth to build both children at once
	widestAbove = 1 << 12       // items of which only the widest axis is cut: so many cuts are to come that it hardly matters
	few         = 16            // items for which fewer bins are enough
	fewBins     = 4
)

// buildBVH builds a tree by the surface area heuristic with binned cuts (Wald, "On fast Construction of
// SAH-based Bounding Volume Hierarchies", 2007).
// Leaves hold at most leaf items, where the items can be told apart. The tree does not depend on how many cores build it.
func buildBVH(boxes []geom.Box, leaf int) *bvh {
	b := &bvhBuilder{leaf: leaf, items: make([]item, len(boxes)), free: make(chan struct{}, runtime.GOMAXPROCS(0)-1)}
	for i, box := range boxes {
		b.items[i] = item{span{[3]float32{float32(box.Min.X), float32(box.Min.Y), float32(box.Min.Z)}, [3]float32{float32(box.Max.X), float32(box.Max.Y), float32(box.Max.Z)}}, int32(i)}
	}
	t := &bvh{order: make([]int32, len(boxes))}
	if len(boxes) > 0 {
		t.nodes = b.build(make([]bvhNode, 0, 2*len(boxes)/max(1, leaf/3)+1), 0, len(boxes), 0)
	}
	for i := range b.items {
		t.order[i] = b.items[i].index
	}
	return t
}

// An item is a box that is sorted into the tree. Items are moved themselves, so that each pass over them goes straight through memory.
type item struct {
	span
	index int32
}

// middle returns twice the middle of the item's box along an axis.
func (it *item) middle(axis int) float32 { return it.min[axis] + it.max[axis] }

type bvhBuilder struct {
	leaf  int
	items []item
	free  chan struct{} // filled by builders at work beside the first one
}

// build appends the tree over some items to nodes, counting its nodes from the start of nodes.
func (b *bvhBuilder) build(nodes []bvhNode, from, to, depth int) []bvhNode {
	at := len(nodes)
	nodes = append(nodes, bvhNode{})
	box, middles := noSpan(), noSpan()
	for i := from; i < to; i++ {
		it := &b.items[i]
		box.grow(&it.span)
		m := [3]float32{it.middle(0), it.middle(1), it.middle(2)}
		middles.grow(&span{m, m})
	}
	axis, mid := -1, 0
	switch {
	case to-from > 1 && depth < evenBelow:
		axis, mid = b.cut(from, to, &box, &middles)
	case to-from > b.leaf:
		axis, mid = 0, (from+to)/2
	}
	if axis < 0 && to-from > maxCount {
		axis, mid = 0, (from+to)/2
	}
	if axis < 0 {
		nodes[at] = newNode(&box, from, to-from, 0)
		return nodes
	}
	var right int
	nodes, right = b.children(nodes, from, mid, to, depth+1)
	nodes[at] = newNode(&box, right, 0, axis)
	return nodes
}

// children builds both sides of a cut, at once where that is worth it, and returns where the right one begins.
func (b *bvhBuilder) children(nodes []bvhNode, from, mid, to, depth int) ([]bvhNode, int) {
	if to-mid > forkAbove && mid-from > forkAbove {
		select {
		case b.free <- struct{}{}:
			built := make(chan []bvhNode)
			go func() {
				built <- b.build(make([]bvhNode, 0, (to-mid)/2), mid, to, depth)
				<-b.free
			}()
			nodes = b.build(nodes, from, mid, depth)
			right := len(nodes)
			for _, n := range <-built {
				if n.count == 0 {
					n.first += int32(right)
				}
				nodes = append(nodes, n)
			}
			return nodes, right
		default:
		}
	}
	nodes = b.build(nodes, from, mid, depth)
	right := len(nodes)
	return b.build(nodes, mid, to, depth), right
}

// A bin is a part of the way along an axis.
type bin struct {
	span
	count int
}

// cut sorts the items by the cheapest cut, and returns its axis and where the second side begins; or axis -1 when a leaf is cheaper.
func (b *bvhBuilder) cut(from, to int, box, middles *span) (axis, mid int) {
	var all [3][bins]bin
	var scale [3]float32
	widest, parts := 0, bins
	if to-from <= few {
		parts = fewBins
	}
	for a := range 3 {
		width := middles.max[a] - middles.min[a]
		if width > middles.max[widest]-middles.min[widest] {
			widest = a
		}
		if width > 0 {
			scale[a] = float32(parts) / width
		}
		for i := range parts {
			all[a][i].span = noSpan()
		}
	}
	place := func(it *item, a int) int { return min(parts-1, max(0, int((it.middle(a)-middles.min[a])*scale[a]))) }
	axes := [3]int{0, 1, 2}
	tried := axes[:]
	if to-from > widestAbove {
		tried = axes[widest : widest+1]
	}
	for i := from; i < to; i++ {
		it := &b.items[i]
		for _, a := range tried {
			into := &all[a][place(it, a)]
			into.count++
			into.grow(&it.span)
		}
	}
	best, axis, last := math.Inf(1), -1, 0 // last bin of the first side
	for _, a := range tried {
		if scale[a] == 0 || math.IsInf(float64(scale[a]), 0) {
			continue
		}
		var rightCost [bins]float64
		grown, n := noSpan(), 0
		for i := parts - 1; i > 0; i-- {
			grown.grow(&all[a][i].span)
			n += all[a][i].count
			rightCost[i] = grown.halfArea() * float64(n)
		}
		grown, n = noSpan(), 0
		for i := range parts - 1 {
			grown.grow(&all[a][i].span)
			if n += all[a][i].count; n == 0 || n == to-from {
				continue
			}
			if cost := grown.halfArea()*float64(n) + rightCost[i+1]; cost < best {
				best, axis, last = cost, a, i
			}
		}
	}
	if axis < 0 {
		return -1, 0
	}
	if leaf := box.halfArea() * float64(to-from); to-from <= b.leaf && leaf <= best+boxCost*box.halfArea() {
		return -1, 0
	}
	mid = from
	for i := from; i < to; i++ {
		if place(&b.items[i], axis) <= last {
			b.items[i], b.items[mid] = b.items[mid], b.items[i]
			mid++
		}
	}
	return axis, mid
}

// A ray runs from origin along direction. The rest serves the boxes: the origin and 1/direction in single
// precision.
type ray struct {
	origin, direction geom.Vec
	from, inverse     [3]float32
	backward          [3]bool
}

func newRay(origin, direction geom.Vec) ray {
	inverse := [3]float32{float32(1 / direction.X), float32(1 / direction.Y), float32(1 / direction.Z)}
	return ray{
		origin, direction,
		[3]float32{float32(origin.X), float32(origin.Y), float32(origin.Z)}, inverse,
		[3]bool{inverse[0] < 0, inverse[1] < 0, inverse[2] < 0}, // of a negative zero, too
	}
}

// meets reports whether the ray crosses the node's box between 0 and limit.
func (r *ray) meets(n *bvhNode, limit float32) bool {
	near := float32(0)
	low, high := n.min[0], n.max[0]
	if r.backward[0] {
		low, high = high, low
	}
	if t := (low - r.from[0]) * r.inverse[0]; t > near {
		near = t
	}
	if t := (high - r.from[0]) * r.inverse[0]; t < limit {
		limit = t
	}
	low, high = n.min[1], n.max[1]
	if r.backward[1] {
		low, high = high, low
	}
	if t := (low - r.from[1]) * r.inverse[1]; t > near {
		near = t
	}
	if t := (high - r.from[1]) * r.inverse[1]; t < limit {
		limit = t
	}
	low, high = n.min[2], n.max[2]
	if r.backward[2] {
		low, high = high, low
	}
	if t := (low - r.from[2]) * r.inverse[2]; t > near {
		near = t
	}
	if t := (high - r.from[2]) * r.inverse[2]; t < limit {
		limit = t
	}
	return near <= limit*1.000002
}

// A walk is one ray's way through a tree.
type walk struct {
	stack [maxStack]int32
	depth int
	at    int32
}

// leaf goes on to the next leaf that the ray may meet before limit, nearer ones first, and returns it, or
// nil at the end.
func (w *walk) leaf(t *bvh, r *ray, limit float64) *bvhNode {
	reach := float32(limit) * 1.000001
	for w.at >= 0 {
		n := &t.nodes[w.at]
		if !r.meets(n, reach) {
			w.pop()
			continue
		}
		if n.count > 0 {
			w.pop()
			return n
		}
		near, far := w.at+1, n.first
		if r.backward[n.axis] {
			near, far = far, near
		}
		w.stack[w.depth] = far
		w.depth++
		w.at = near
	}
	return nil
}

func (w *walk) pop() {
	w.at = -1
	if w.depth > 0 {
		w.depth--
		w.at = w.stack[w.depth]
	}
}
