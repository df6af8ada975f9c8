package trace

import (
	"math"
	"sort"

	"reelhouse/core/geom"
)

// A glow is every glowing triangle of the world. One is picked in two steps: first an object, by its power over the
// square of its distance; then a triangle of it, by its power.
type glow struct {
	clusters []cluster
	of       []int32 // cluster of each glowing triangle, by instance and triangle, see index
	first    []int   // of each instance, in of; -1 for those without
}

// mostClusters bounds what is gone through at each point that is lit.
const mostClusters = 64

// A cluster is glowing triangles that stand together.
type cluster struct {
	box       geom.Box
	centre    geom.Vec
	spread    float64 // square of half of its diagonal
	power     float64
	triangles []glowing
	sums      []float64 // running sums of power
}

type glowing struct {
	instance int
	triangle int32
	power    float64 // area times the brightest channel
}

func (w *World) gatherGlow() glow {
	g := glow{first: make([]int, len(w.instances))}
	bright := make([]bool, len(w.materials))
	any := false
	for i := range w.materials {
		bright[i] = w.materials[i].Emission.Max() > 0 && !w.materials[i].Unlit
		any = any || bright[i]
	}
	if !any {
		return g
	}
	for i := range w.instances {
		in := &w.instances[i]
		g.first[i] = -1
		byNode := map[int]int{} // clusters
		for k := range in.solid.triangles {
			t := &in.solid.triangles[k]
			if t.material < 0 || !bright[t.material] {
				continue
			}
			node := in.nodeOf(t)
			if w.roles != nil && w.roles[node].Clay {
				continue
			}
			if g.first[i] < 0 {
				g.first[i] = len(g.of)
				g.of = append(g.of, make([]int32, len(in.solid.triangles))...)
			}
			into, there := byNode[node]
			if !there {
				into = len(g.clusters)
				byNode[node] = into
				g.clusters = append(g.clusters, cluster{box: geom.EmptyBox()})
			}
			c := &g.clusters[into]
			a, e1, e2 := w.cornersOf(i, int32(k), midway)
			power := e1.Cross(e2).Length() / 2 * w.meanGlow(&w.materials[t.material]).Max()
			if power <= 0 {
				continue
			}
			c.box = c.box.AddPoint(a).AddPoint(a.Add(e1)).AddPoint(a.Add(e2))
			c.power += power
			c.triangles = append(c.triangles, glowing{i, int32(k), power})
		}
	}
	g.merge()
	for i := range g.clusters {
		c := &g.clusters[i]
		c.centre, c.spread = c.box.Centre(), c.box.Size().Dot(c.box.Size())/4
		sum := 0.0
		for _, t := range c.triangles {
			sum += t.power
			c.sums = append(c.sums, sum)
			g.of[g.first[t.instance]+int(t.triangle)] = int32(i)
		}
	}
	return g
}

// merge joins clusters that lie near each other along the longest way until there are few enough.
func (g *glow) merge() {
	kept := g.clusters[:0]
	for _, c := range g.clusters {
		if c.power > 0 {
			kept = append(kept, c)
		}
	}
	g.clusters = kept
	if len(g.clusters) <= mostClusters {
		return
	}
	all := geom.EmptyBox()
	for _, c := range g.clusters {
		all = all.Union(c.box)
	}
	axis, size := 0, all.Size()
	for a := range 3 {
		if size.Axis(a) > size.Axis(axis) {
			axis = a
		}
	}
	sort.SliceStable(g.clusters, func(i, j int) bool {
		return g.clusters[i].box.Centre().Axis(axis) < g.clusters[j].box.Centre().Axis(axis)
	})
	merged := make([]cluster, mostClusters)
	for i, c := range g.clusters {
		into := &merged[i*mostClusters/len(g.clusters)]
		if into.triangles == nil {
			into.box = geom.EmptyBox()
		}
		into.box, into.power, into.triangles = into.box.Union(c.box), into.power+c.power, append(
			into.triangles,
			c.triangles...)
	}
	g.clusters = merged
}

// cornersOf returns a corner of a triangle in the world, and the way from it to the two others.
func (w *World) cornersOf(instance int, triangle int32, time float64) (corner, edge1, edge2 geom.Vec) {
	in := &w.instances[instance]
	toWorld, _ := in.at(time)
	c := in.solid.cornersAt(triangle, time)
	return toWorld.Point(double(c[0])), toWorld.Direction(edge(c[0], c[1])), toWorld.Direction(edge(c[0], c[2]))
}

// weight returns how much a cluster may light a point.
func (c *cluster) weight(p geom.Vec) float64 {
	away := p.Sub(c.centre)
	return c.power / max(away.Dot(away), c.spread, 1e-6)
}

// A shining is a point that was picked on a glowing triangle.
type shining struct {
	instance int
	triangle int32
	u, v     float64
	point    geom.Vec
	normal   geom.Vec // unit; it shines on both sides
	density  float64  // of the choice, per square metre
}

// glowWeights weighs the clusters for what is lit at p, and returns the sum, which is about the light that they send
// there.
func (t *tracer) glowWeights(p geom.Vec) float64 {
	t.glows = t.glows[:0]
	total := 0.0
	for i := range t.glow.clusters {
		w := t.glow.clusters[i].weight(p)
		t.glows = append(t.glows, w)
		total += w
	}
	return total
}

// pickGlow returns a point on a glowing triangle, after glowWeights: choice chooses the cluster and the triangle, u and
// v the place.
func (t *tracer) pickGlow(total, choice, u, v float64) (shining, bool) {
	g, weights := &t.glow, t.glows
	target := choice * total
	i := 0
	for ; i < len(g.clusters)-1 && target >= weights[i]; i++ {
		target -= weights[i]
	}
	c := &g.clusters[i]
	share := weights[i] / total
	within := min(1, max(0, target/weights[i])) * c.power
	k := min(sort.SearchFloat64s(c.sums, within), len(c.sums)-1)
	chosen := c.triangles[k]
	corner, e1, e2 := t.cornersOf(chosen.instance, chosen.triangle, t.time)
	cross := e1.Cross(e2)
	area := cross.Length() / 2
	if area == 0 {
		return shining{}, false
	}
	root := math.Sqrt(u)
	s := shining{
		instance: chosen.instance,
		triangle: chosen.triangle,
		u:        1 - root,
		v:        v * root,
		normal:   cross.Unit(),
		density:  share * chosen.power / c.power / area,
	}
	s.point = corner.Add(e1.Scale(s.u)).Add(e2.Scale(s.v))
	return s, true
}

// glowDensity returns the probability, per square metre, with which pickGlow chooses a point that a ray from p has hit;
// 0 if it never does.
func (w *World) glowDensity(p geom.Vec, time float64, h *hit) float64 {
	g := &w.glow
	instance := h.instance.number
	if len(g.clusters) == 0 || g.first[instance] < 0 {
		return 0
	}
	total := 0.0
	for i := range g.clusters {
		total += g.clusters[i].weight(p)
	}
	c := &g.clusters[g.of[g.first[instance]+int(h.triangle)]]
	_, e1, e2 := w.cornersOf(instance, h.triangle, time)
	area := e1.Cross(e2).Length() / 2
	power := e1.Cross(e2).Length() / 2 * w.meanGlow(&w.materials[h.instance.solid.triangles[h.triangle].material]).Max()
	if area == 0 || total == 0 {
		return 0
	}
	return c.weight(p) / total * power / c.power / area
}
