//go:build !(goexperiment.simd && amd64)

package trace

// meets returns which of the node's boxes the ray crosses between 0 and limit, a bit each, and where it enters them.
func (n *node) meets(r *ray, limit float32, near *[wide]float32) uint8 {
	return n.meetsPlain(r, limit, near)
}
