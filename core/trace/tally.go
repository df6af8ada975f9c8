package trace

import (
	"slices"

	"reelhouse/core/geom"
	"reelhouse/core/pass"
)

// A part is one of those that a picture is the sum of, by how the light came to the camera.
type part int

const (
	partDiffuseDirect part = iota
	partDiffuseIndirect
	partGlossyDirect
	partGlossyIndirect
	partThrough
	partEmission
	partEnvironment
	parts
)

// partPasses are the passes of the parts.
var partPasses = [parts]pass.Code{
	pass.DiffuseDirect, pass.DiffuseIndirect, pass.SpecularDirect, pass.SpecularIndirect, pass.Transmission,
	pass.Emission, pass.Environment,
}

// A tally gathers the light of one sample.
type tally struct {
	total  geom.Vec
	parts  [parts]geom.Vec
	groups []geom.Vec
	sprite bool // the sun's disc is to be seen
}

func (t *tally) clear() {
	t.total, t.parts = geom.Vec{}, [parts]geom.Vec{}
	clear(t.groups)
}

func (t *tally) add(light geom.Vec, of part, group int) {
	t.total = t.total.Add(light)
	t.parts[of] = t.parts[of].Add(light)
	if len(t.groups) > 0 {
		t.groups[group] = t.groups[group].Add(light)
	}
}

// A grouping says which group of light every source belongs to. The last group is of what belongs to no other.
type grouping struct {
	sky   int
	lamps []int
	nodes []int // that glow
}

// newGrouping sorts a world's light; each source belongs to the first group that names it.
func (w *World) newGrouping(groups []pass.LightGroup) *grouping {
	g := &grouping{sky: len(groups)}
	find := func(holds func(pass.LightGroup) bool) int {
		if i := slices.IndexFunc(groups, holds); i >= 0 {
			return i
		}
		return len(groups)
	}
	g.sky = find(func(l pass.LightGroup) bool { return l.Sky })
	for _, l := range w.lights {
		g.lamps = append(g.lamps, find(func(group pass.LightGroup) bool {
			if l.name == "" {
				return group.Sun
			}
			return group.Holds(l.name)
		}))
	}
	g.nodes = make([]int, len(w.model.scene.Nodes))
	var name func(node, inherited int)
	name = func(node, inherited int) {
		n := &w.model.scene.Nodes[node]
		if own := find(func(group pass.LightGroup) bool { return group.Holds(n.Name) }); own < len(groups) {
			inherited = own
		}
		g.nodes[node] = inherited
		for _, c := range n.Children {
			name(c, inherited)
		}
	}
	for _, r := range w.model.scene.Roots {
		name(r, len(groups))
	}
	return g
}

func (g *grouping) lamp(i int) int {
	if len(g.lamps) == 0 {
		return 0
	}
	return g.lamps[i]
}

func (g *grouping) glow(h *hit) int {
	if len(g.nodes) == 0 {
		return 0
	}
	return g.nodes[h.node()]
}

// noGroups is for pictures whose light is not told apart.
var noGroups = &grouping{}
