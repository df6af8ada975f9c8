package look

import (
	"reelhouse/core/scene"
)

// named says for each node whether it answers to one of the patterns, itself or by a node that it hangs below, and
// shows a mesh.
func named(s *scene.Scene, patterns []string) []bool {
	found := make([]bool, len(s.Nodes))
	if len(patterns) == 0 {
		return found
	}
	var walk func(i int, below bool)
	walk = func(i int, below bool) {
		n := s.Nodes[i]
		below = below || matches(patterns, n.Name)
		found[i] = below && n.Mesh != scene.None
		for _, c := range n.Children {
			walk(c, below)
		}
	}
	for _, r := range s.Roots {
		walk(r, false)
	}
	return found
}

// Answering returns how many objects of a scene answer to patterns.
func Answering(s *scene.Scene, patterns []string) int {
	n := 0
	for _, found := range named(s, patterns) {
		if found {
			n++
		}
	}
	return n
}

// A Role is what an object does in a picture.
type Role struct {
	Unseen, Holdout, Clay, Catcher bool
}

// Roles returns the role of each node, nil if none has another than to be seen.
func (l Look) Roles(s *scene.Scene) []Role {
	if len(l.Unseen)+len(l.Holdouts)+len(l.Clay)+len(l.ShadowCatchers) == 0 {
		return nil
	}
	roles := make([]Role, len(s.Nodes))
	unseen, holdout, clay, catcher := named(s, l.Unseen), named(s, l.Holdouts), named(s, l.Clay), named(
		s, l.ShadowCatchers,
	)
	for i := range roles {
		roles[i] = Role{unseen[i], holdout[i], clay[i], catcher[i]}
	}
	return roles
}
