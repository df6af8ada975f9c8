//go:build goexperiment.simd && amd64

package trace

import "simd/archsimd"

var vectors = archsimd.X86.AVX2()

// meets returns which of the node's boxes the ray crosses between 0 and limit, a bit each, and where it enters them.
func (n *node) meets(r *ray, limit float32, near *[wide]float32) uint8 {
	if !vectors {
		return n.meetsPlain(r, limit, near)
	}
	from, inverse := archsimd.BroadcastFloat32x4(r.from[0]), archsimd.BroadcastFloat32x4(r.inverse[0])
	plane := r.near[0] & 1
	enter := archsimd.LoadFloat32x4(&n.planes[plane]).Sub(from).Mul(inverse).Max(archsimd.BroadcastFloat32x4(0))
	leave := archsimd.LoadFloat32x4(&n.planes[plane^1]).Sub(from).Mul(inverse).Min(archsimd.BroadcastFloat32x4(limit))
	from, inverse = archsimd.BroadcastFloat32x4(r.from[1]), archsimd.BroadcastFloat32x4(r.inverse[1])
	plane = r.near[1] & 1
	enter = archsimd.LoadFloat32x4(&n.planes[2+plane]).Sub(from).Mul(inverse).Max(enter)
	leave = archsimd.LoadFloat32x4(&n.planes[2+(plane^1)]).Sub(from).Mul(inverse).Min(leave)
	from, inverse = archsimd.BroadcastFloat32x4(r.from[2]), archsimd.BroadcastFloat32x4(r.inverse[2])
	plane = r.near[2] & 1
	enter = archsimd.LoadFloat32x4(&n.planes[4+plane]).Sub(from).Mul(inverse).Max(enter)
	leave = archsimd.LoadFloat32x4(&n.planes[4+(plane^1)]).Sub(from).Mul(inverse).Min(leave)
	enter.Store(near)
	return enter.LessEqual(leave.Mul(archsimd.BroadcastFloat32x4(slack))).ToBits()
}
