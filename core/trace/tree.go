package trace

import (
	"math"
	"runtime"

	"reelhouse/core/geom"
)

// A tree is boxes within boxes over items that have a box each. Each of its nodes holds the boxes of up to wide
// children.
type tree struct {
	nodes []node
	order []int32 // items, in the order in which leaves refer to them
}

// A node is the boxes of its children, in single precision and a little larger than what is in them, so that rounding
// never loses a hit.
type node struct {
	planes [6][wide]float32 // lowest and highest x, then y, then z
	child  [wide]ref
}

// A ref is where a child is: the index of a node, or, below zero, the items of a leaf.
type ref int32

func leafRef(first, count int) ref { return ^ref(first<<leafBits | (count - 1)) }

// items returns the first of a leaf's items and how many there are.
func (r ref) items() (first, count int32) {
	return int32(^r) >> leafBits, int32(^r)&(1<<leafBits-1) + 1
}

// A pair is a node of the tree of two children that is built first. Its left child follows it directly.
type pair struct {
	box   span
	first int32 // leaf: first of its items in order; otherwise the right child
	count int32 // leaf: how many items; otherwise 0
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
	maxLeaf  = 4    // most items in a leaf that can still be cut
	boxCost  = 1.2  // of going one level down, in tests of one item
	padding  = 2e-6 // around a box, as a share of what the tree covers; makes up for single precision
	leafBits = 3    // of a ref, that count a leaf's items
)

// Limits of building.
const (
	maxCount  = 1 << leafBits // items in a leaf, whatever they are
	evenBelow = 38            // levels from which on items are simply halved, so that the tree ends
	forkAbove = 1 << 14       // items for which it is worth to build both children at once
	// items of which only the widest axis is cut: so many cuts are to come that it hardly matters
	widestAbove = 1 << 12
	few         = 16 // items for which fewer bins are enough
	fewBins     = 4
)

// buildBVH builds a tree by the surface area heuristic with binned cuts (Wald, "On fast Construction of SAH-based
// Bounding Volume Hierarchies", 2007), and opens its largest boxes until nodes have as many children as they can.
// Leaves hold at most leaf items, where the items can be told apart. The tree does not depend on how many cores build
// it.
func buildTree(boxes []geom.Box, leaf int) *tree {
	b := &builder{leaf: leaf, items: make([]item, len(boxes)), free: make(chan struct{}, runtime.GOMAXPROCS(0)-1)}
	for i, box := range boxes {
		b.items[i] = item{
			span{
				[3]float32{float32(box.Min.X), float32(box.Min.Y), float32(box.Min.Z)},
				[3]float32{float32(box.Max.X), float32(box.Max.Y), float32(box.Max.Z)},
			},
			int32(i),
		}
	}
	t := &tree{order: make([]int32, len(boxes))}
	if len(boxes) > 0 {
		pairs := b.build(make([]pair, 0, 2*len(boxes)/max(1, leaf/2)+1), 0, len(boxes), 0)
		t.widen(pairs)
	}
	for i := range b.items {
		t.order[i] = b.items[i].index
	}
	return t
}

// widen makes the tree of one of two children a node.
func (t *tree) widen(pairs []pair) {
	all := &pairs[0].box
	around := float32(0)
	for i := range 3 {
		around = max(around, all.max[i]-all.min[i])
	}
	t.nodes = make([]node, 0, len(pairs)/3+1)
	if pairs[0].count > 0 { // a single leaf
		t.nodes = append(t.nodes, node{})
		t.nodes[0].fill([]pair{pairs[0]}, []ref{leafRef(int(pairs[0].first), int(pairs[0].count))}, around*padding)
		return
	}
	t.open(pairs, 0, around*padding)
}

// open appends the node that stands for a pair, with all below it.
func (t *tree) open(pairs []pair, at int, pad float32) {
	chosen := [wide]int{at + 1, int(pairs[at].first)}
	n := 2
	for n < wide {
		largest, area := -1, 0.0
		for i, c := range chosen[:n] {
			if a := pairs[c].box.halfArea(); pairs[c].count == 0 && (largest < 0 || a > area) {
				largest, area = i, a
			}
		}
		if largest < 0 {
			break
		}
		c := chosen[largest]
		chosen[largest], chosen[n] = c+1, int(pairs[c].first)
		n++
	}
	into := len(t.nodes)
	t.nodes = append(t.nodes, node{})
	var refs [wide]ref
	var boxes [wide]pair
	for i, c := range chosen[:n] {
		if boxes[i] = pairs[c]; pairs[c].count > 0 {
			refs[i] = leafRef(int(pairs[c].first), int(pairs[c].count))
			continue
		}
		refs[i] = ref(len(t.nodes))
		t.open(pairs, c, pad)
	}
	t.nodes[into].fill(boxes[:n], refs[:n], pad)
}

// fill sets a node's children; those that it has not are boxes that nothing meets.
func (n *node) fill(boxes []pair, refs []ref, pad float32) {
	inf := float32(math.Inf(1))
	for i := range wide {
		for axis := range 3 {
			low, high := inf, -inf
			if i < len(boxes) {
				low, high = boxes[i].box.min[axis], boxes[i].box.max[axis]
				low -= pad + 1e-6*abs32(low)
				high += pad + 1e-6*abs32(high)
			}
			n.planes[2*axis][i], n.planes[2*axis+1][i] = low, high
		}
	}
	copy(n.child[:], refs)
}

func abs32(x float32) float32 { return math.Float32frombits(math.Float32bits(x) &^ (1 << 31)) }

// An item is a box that is sorted into the tree. Items are moved themselves, so that each pass over them goes straight
// through memory.
type item struct {
	span
	index int32
}

// middle returns twice the middle of the item's box along an axis.
func (it *item) middle(axis int) float32 { return it.min[axis] + it.max[axis] }

type builder struct {
	leaf  int
	items []item
	free  chan struct{} // filled by builders at work beside the first one
}

// build appends the tree over some items to nodes, counting its nodes from the start of nodes.
func (b *builder) build(nodes []pair, from, to, depth int) []pair {
	at := len(nodes)
	nodes = append(nodes, pair{})
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
		nodes[at] = pair{box, int32(from), int32(to - from)}
		return nodes
	}
	var right int
	nodes, right = b.children(nodes, from, mid, to, depth+1)
	nodes[at] = pair{box, int32(right), 0}
	return nodes
}

// children builds both sides of a cut, at once where that is worth it, and returns where the right one begins.
func (b *builder) children(nodes []pair, from, mid, to, depth int) ([]pair, int) {
	if to-mid > forkAbove && mid-from > forkAbove {
		select {
		case b.free <- struct{}{}:
			built := make(chan []pair)
			go func() {
				built <- b.build(make([]pair, 0, (to-mid)/2), mid, to, depth)
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

// cut sorts the items by the cheapest cut, and returns its axis and where the second side begins; or axis -1 when a
// leaf is cheaper.
func (b *builder) cut(from, to int, box, middles *span) (axis, mid int) {
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
