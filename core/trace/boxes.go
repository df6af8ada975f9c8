package trace

import "math"

// meetsPlain is meets without vectors. Distances are compared as whole numbers, which order like floats from 0 up; that
// spares jumps which no processor can foresee.
func (n *node) meetsPlain(r *ray, limit float32, near *[wide]float32) uint8 {
	fromX, fromY, fromZ := r.from[0], r.from[1], r.from[2]
	inverseX, inverseY, inverseZ := r.inverse[0], r.inverse[1], r.inverse[2]
	x, y, z := r.near[0]&1, 2+r.near[1]&1, 4+r.near[2]&1
	nearX, farX := &n.planes[x], &n.planes[x^1]
	nearY, farY := &n.planes[y], &n.planes[y^1]
	nearZ, farZ := &n.planes[z], &n.planes[z^1]
	reach := int32(math.Float32bits(limit))
	met := uint8(0)
	for i := range wide {
		enter := max(
			0, bits32((nearX[i]-fromX)*inverseX), bits32((nearY[i]-fromY)*inverseY), bits32((nearZ[i]-fromZ)*inverseZ),
		)
		leave := min(
			reach, bits32((farX[i]-fromX)*inverseX), bits32((farY[i]-fromY)*inverseY), bits32((farZ[i]-fromZ)*inverseZ),
		)
		begins := math.Float32frombits(uint32(enter))
		near[i] = begins
		if leave >= 0 && begins <= math.Float32frombits(uint32(leave))*slack {
			met |= 1 << i
		}
	}
	return met
}

func bits32(x float32) int32 { return int32(math.Float32bits(x)) }
