//go:build !(goexperiment.simd && amd64)

package trace

const wide = 4 // children of a node

// leaf is leafPlain where there are no vectors.
func (w *walk) leaf(t *tree, r *ray, limit float64) (first, count int32) {
	return w.leafPlain(t, r, limit)
}
