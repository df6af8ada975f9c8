package trace

import (
	"math"

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

func newNode(box geom.Box, first, count, axis int) bvhNode {
	n := bvhNode{first: int32(first), count: int16(count), axis: int16(axis)}
	for i := range 3 {
		low, high := box.Min.Axis(i), box.Max.Axis(i)
		n.min[i] = float32(low - padding - 1e-6*math.Abs(low))
		n.max[i] = float32(high + padding + 1e-6*math.Abs(high))
	}
	return n
}

const (
	bins     = 12   // candidate cuts along an axis
	maxLeaf  = 8    // most items in a leaf that can still be cut
	boxCost  = 2.0  // of going one level down, in tests of one item
	maxStack = 64   // deepest tree
	padding  = 1e-4 // metres around a box; covers single precision within a kilometre of the origin
)

// buildBVH builds a tree by the surface area heuristic with binned cuts (Wald, "On fast Construction of
// SAH-based Bounding Volume Hierarchies", 2007).
// Leaves hold at most leaf items, where the items can be told apart.
func buildBVH(boxes []geom.Box, leaf int) *bvh {
	b := &bvhBuilder{leaf: leaf, boxes: boxes, tree: &bvh{order: make([]int32, len(boxes))}, centres: make([]geom.Vec, len(boxes))}
	for i := range boxes {
		b.tree.order[i] = int32(i)
		b.centres[i] = boxes[i].Centre()
	}
	if len(boxes) > 0 {
		b.build(0, len(boxes), 0)
	}
	return b.tree
}

type bvhBuilder struct {
	leaf    int
	boxes   []geom.Box
	centres []geom.Vec
	tree    *bvh
}

func (b *bvhBuilder) build(from, to, depth int) {
	at := len(b.tree.nodes)
	b.tree.nodes = append(b.tree.nodes, bvhNode{})
	box, centres := geom.EmptyBox(), geom.EmptyBox()
	for _, i := range b.tree.order[from:to] {
		box, centres = box.Union(b.boxes[i]), centres.AddPoint(b.centres[i])
	}
	axis, cut := -1, 0.0
	if to-from > 1 && depth < maxStack-2 {
		axis, cut = b.cut(from, to, box, centres)
	}
	if axis < 0 {
		b.tree.nodes[at] = newNode(box, from, to-from, 0)
		return
	}
	mid := from
	for i := from; i < to; i++ {
		if b.centres[b.tree.order[i]].Axis(axis) < cut {
			b.tree.order[i], b.tree.order[mid] = b.tree.order[mid], b.tree.order[i]
			mid++
		}
	}
	b.build(from, mid, depth+1)
	right := len(b.tree.nodes)
	b.build(mid, to, depth+1)
	b.tree.nodes[at] = newNode(box, right, 0, axis)
}

// cut returns the axis and position of the cheapest cut, or axis -1 when a leaf is cheaper.
func (b *bvhBuilder) cut(from, to int, box, centres geom.Box) (int, float64) {
	best, axis, position := math.Inf(1), -1, 0.0
	for a := range 3 {
		low, span := centres.Min.Axis(a), centres.Size().Axis(a)
		if span <= 0 {
			continue
		}
		var counts [bins]int
		var boxes [bins]geom.Box
		for i := range boxes {
			boxes[i] = geom.EmptyBox()
		}
		for _, i := range b.tree.order[from:to] {
			bin := min(bins-1, int(bins*(b.centres[i].Axis(a)-low)/span))
			counts[bin]++
			boxes[bin] = boxes[bin].Union(b.boxes[i])
		}
		var rightCost [bins]float64
		grown, n := geom.EmptyBox(), 0
		for i := bins - 1; i > 0; i-- {
			grown, n = grown.Union(boxes[i]), n+counts[i]
			rightCost[i] = grown.HalfArea() * float64(n)
		}
		grown, n = geom.EmptyBox(), 0
		for i := range bins - 1 {
			grown, n = grown.Union(boxes[i]), n+counts[i]
			if n == 0 || n == to-from {
				continue
			}
			if cost := grown.HalfArea()*float64(n) + rightCost[i+1]; cost < best {
				best, axis, position = cost, a, low+span*float64(i+1)/bins
			}
		}
	}
	if axis < 0 {
		return -1, 0
	}
	if leaf := box.HalfArea() * float64(to-from); to-from <= b.leaf && leaf <= best+boxCost*box.HalfArea() {
		return -1, 0
	}
	// Rounding may put every item on one side of the cut; then a leaf it is.
	left := 0
	for _, i := range b.tree.order[from:to] {
		if b.centres[i].Axis(axis) < position {
			left++
		}
	}
	if left == 0 || left == to-from {
		return -1, 0
	}
	return axis, position
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
