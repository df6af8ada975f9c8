package trace

import (
	"math"
	"math/rand/v2"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/scene"
)

// heap is a scene of small triangles, thrown into a cube of 10 m.
func heap(n int, size float64) *scene.Scene {
	random := rand.New(rand.NewPCG(5, 6))
	near := func(c geom.Vec, r float64) geom.Vec {
		return c.Add(
			geom.Vec{X: random.Float64() - 0.5, Y: random.Float64() - 0.5, Z: random.Float64() - 0.5}.Scale(2 * r),
		)
	}
	part := scene.Part{Material: scene.None}
	for range n {
		c := near(geom.Vec{X: 5, Y: 5, Z: 5}, 5)
		for range 3 {
			part.Indices = append(part.Indices, uint32(len(part.Positions)))
			part.Positions = append(part.Positions, near(c, size))
		}
	}
	s := &scene.Scene{Name: "heap", Roots: []int{0}, Meshes: []scene.Mesh{{Parts: []scene.Part{part}}}}
	node := scene.NewNode("heap")
	node.Mesh = 0
	s.Nodes = append(s.Nodes, node)
	return s
}

func thrown(n int) (origins, directions []geom.Vec) {
	random := rand.New(rand.NewPCG(7, 8))
	for range n {
		origins = append(
			origins, geom.Vec{X: random.Float64() * 10, Y: random.Float64() * 10, Z: random.Float64() * 10},
		)
		directions = append(
			directions, geom.Vec{X: random.NormFloat64(), Y: random.NormFloat64(), Z: random.NormFloat64()}.Unit(),
		)
	}
	for i := range min(n, 64) { // along the axes, too, where boxes are hardest
		d := [6]geom.Vec{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}, {Z: 1}, {Z: -1}}[i%6]
		directions[i] = d
	}
	return origins, directions
}

// What the tree finds is what trying all triangles finds, for every ray; and boxes are met alike with and without
// vectors.
func TestTheTreeFindsWhatThereIs(t *testing.T) {
	w := Prepare(heap(3000, 0.5)).At(0, look.Plain(), nil)
	tr := w.tracer()
	origins, directions := thrown(4000)
	s := w.instances[0].solid
	met := 0
	for i := range origins {
		r := newRay(origins[i], directions[i], midway)
		want, at := math.Inf(1), int32(-1)
		for k := range s.triangles {
			if d, _, _, ok := meet(&s.triangles[k].corners, &r); ok && d < want {
				want, at = d, int32(k)
			}
		}
		var h hit
		if found := tr.first(origins[i], directions[i], math.Inf(1), &h); found != (at >= 0) ||
			found && (h.distance != want || h.triangle != at) {
			t.Fatalf("ray %d meets triangle %d after %v, want %d after %v", i, h.triangle, h.distance, at, want)
		}
		if at < 0 {
			continue
		}
		met++
		if !tr.blocked(origins[i], directions[i], want*1.0001) || tr.blocked(origins[i], directions[i], want*0.9999) {
			t.Fatalf("ray %d is not blocked just where it meets something", i)
		}
	}
	if met < 1000 || met > 3900 {
		t.Errorf("%d of %d rays met something", met, len(origins))
	}
	// With vectors and without, leaves come in the same order.
	var a, b walk
	for i := range origins {
		r := newRay(origins[i], directions[i], midway)
		a.start()
		b.start()
		for {
			first, count := a.leaf(s.tree, &r, 4)
			wantFirst, wantCount := b.leafPlain(s.tree, &r, 4)
			if first != wantFirst || count != wantCount {
				t.Fatalf(
					"ray %d comes to leaf %d of %d, without vectors to %d of %d", i, first, count, wantFirst, wantCount,
				)
			}
			if count == 0 {
				break
			}
		}
	}
}

func BenchmarkRays(b *testing.B) {
	tr := Prepare(heap(300000, 0.1)).At(0, look.Plain(), nil).tracer()
	origins, directions := thrown(1 << 16)
	for name, send := range map[string]func(i int){
		"nearest": func(i int) { var h hit; tr.first(origins[i], directions[i], math.Inf(1), &h) },
		"any":     func(i int) { tr.blocked(origins[i], directions[i], math.Inf(1)) },
	} {
		b.Run(name, func(b *testing.B) {
			n := 0
			for b.Loop() {
				send(n & (1<<16 - 1))
				n++
			}
			b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "rays/s")
		})
	}
}
