package trace

import (
	"math"
	"math/bits"

	"reelhouse/core/geom"
)

// A ray runs from origin along direction. The rest serves the boxes: the origin and 1/direction in single precision,
// and which plane of a box it meets first on each axis.
type ray struct {
	origin, direction geom.Vec
	time              float64 // 0 to 1 while the shutter is open
	from, inverse     [3]float32
	near              [3]uint8 // planes of a node
}

// leastDirection keeps 1/direction finite, so that no box test can be 0 times infinity.
const leastDirection = 1e-30

func newRay(origin, direction geom.Vec, time float64) ray {
	r := ray{
		origin:    origin,
		direction: direction,
		time:      time,
		from:      [3]float32{float32(origin.X), float32(origin.Y), float32(origin.Z)},
	}
	for axis, d := range [3]float64{direction.X, direction.Y, direction.Z} {
		if math.Abs(d) < leastDirection {
			d = math.Copysign(leastDirection, d)
		}
		r.inverse[axis] = float32(1 / d)
		r.near[axis] = uint8(2*axis) | uint8(math.Float64bits(d)>>63)
	}
	return r
}

// A walk is one ray's way through a tree. It is kept, since clearing it would take longer than many a walk.
type walk struct {
	depth int
	stack [maxStack]stop
}

// maxStack is enough for trees as buildTree makes them: at most evenBelow levels of two children, and then 31 of
// halves; each level of the tree leaves at most seven boxes aside.
const maxStack = 512

// A stop is a box that is still to be looked into, and where it begins.
type stop struct {
	ref  ref
	near float32
}

func (w *walk) start() {
	w.depth = 1
	w.stack[0] = stop{}
}

// slack is by how much the reach of a ray is widened against rounding.
const slack = 1.000002

// wait keeps a box that is looked into later, the farther the deeper, above those at base; it returns the new depth.
func (w *walk) wait(base, depth int, other stop) int {
	k := depth
	for ; k > base && w.stack[(k-1)&(maxStack-1)].near < other.near; k-- {
		w.stack[k&(maxStack-1)] = w.stack[(k-1)&(maxStack-1)]
	}
	w.stack[k&(maxStack-1)] = other
	return depth + 1
}

// leafPlain goes on to the next leaf that the ray may meet before limit, nearer ones first, and returns the first of
// its items and how many there are; none at the end.
func (w *walk) leafPlain(t *tree, r *ray, limit float64) (first, count int32) {
	reach := float32(limit) * slack
	depth := w.depth
	var near [wide]float32
	for depth > 0 {
		depth--
		at := w.stack[depth&(maxStack-1)]
		if at.near > reach {
			continue
		}
		for at.ref >= 0 {
			n := &t.nodes[at.ref]
			met := n.meetsPlain(r, reach, &near)
			if met == 0 {
				break
			}
			i := bits.TrailingZeros8(met) & (wide - 1)
			at = stop{n.child[i], near[i]}
			base := depth
			for met &= met - 1; met != 0; met &= met - 1 {
				i = bits.TrailingZeros8(met) & (wide - 1)
				other := stop{n.child[i], near[i]}
				if other.near < at.near {
					at, other = other, at
				}
				depth = w.wait(base, depth, other)
			}
		}
		if at.ref < 0 {
			w.depth = depth
			return at.ref.items()
		}
	}
	w.depth = 0
	return 0, 0
}
