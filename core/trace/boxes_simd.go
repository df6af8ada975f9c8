//go:build goexperiment.simd && amd64

package trace

import (
	"math/bits"
	"simd/archsimd"
)

const wide = 8 // children of a node

var vectors = archsimd.X86.AVX2()

// leaf is leafPlain with all boxes of a node met at once.
func (w *walk) leaf(t *tree, r *ray, limit float64) (first, count int32) {
	if !vectors {
		return w.leafPlain(t, r, limit)
	}
	depth := w.depth
	if depth == 0 {
		return 0, 0
	}
	reach := float32(limit) * slack
	far, slacks := archsimd.BroadcastFloat32x8(reach), archsimd.BroadcastFloat32x8(slack)
	fromX, fromY, fromZ := archsimd.BroadcastFloat32x8(r.from[0]), archsimd.BroadcastFloat32x8(
		r.from[1],
	), archsimd.BroadcastFloat32x8(r.from[2])
	inverseX, inverseY, inverseZ := archsimd.BroadcastFloat32x8(r.inverse[0]), archsimd.BroadcastFloat32x8(
		r.inverse[1],
	), archsimd.BroadcastFloat32x8(r.inverse[2])
	zero := archsimd.BroadcastFloat32x8(0)
	x, y, z := r.near[0]&1, 2+r.near[1]&1, 4+r.near[2]&1
	var near [wide]float32
	for depth > 0 {
		depth--
		at := w.stack[depth&(maxStack-1)]
		if at.near > reach {
			continue
		}
		for at.ref >= 0 {
			n := &t.nodes[at.ref]
			enter := archsimd.LoadFloat32x8(&n.planes[x]).Sub(fromX).Mul(inverseX).Max(zero)
			leave := archsimd.LoadFloat32x8(&n.planes[x^1]).Sub(fromX).Mul(inverseX).Min(far)
			enter = archsimd.LoadFloat32x8(&n.planes[y]).Sub(fromY).Mul(inverseY).Max(enter)
			leave = archsimd.LoadFloat32x8(&n.planes[y^1]).Sub(fromY).Mul(inverseY).Min(leave)
			enter = archsimd.LoadFloat32x8(&n.planes[z]).Sub(fromZ).Mul(inverseZ).Max(enter)
			leave = archsimd.LoadFloat32x8(&n.planes[z^1]).Sub(fromZ).Mul(inverseZ).Min(leave)
			met := enter.LessEqual(leave.Mul(slacks)).ToBits()
			if met == 0 {
				break
			}
			i := bits.TrailingZeros8(met) & (wide - 1)
			met &= met - 1
			if met == 0 {
				at.ref = n.child[i]
				continue
			}
			enter.Store(&near)
			at = stop{n.child[i], near[i]}
			base := depth
			for ; met != 0; met &= met - 1 {
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
			archsimd.ClearAVXUpperBits()
			return at.ref.items()
		}
	}
	w.depth = 0
	archsimd.ClearAVXUpperBits()
	return 0, 0
}
