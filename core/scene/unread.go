package scene

import (
	"math"

	"reelhouse/core/geom"
)

// Unread returns what stands for a scene that cannot be read here: cameras of the names given, of which nothing else is
// known, and how many seconds it moves.
func Unread(name string, cameras []string, seconds float64) *Scene {
	s := &Scene{Name: name, Unread: true, Cameras: []Camera{{Up: 2 * math.Atan(18.0/50*9/16), Aspect: 16.0 / 9}}}
	for _, c := range cameras {
		n := NewNode(c)
		n.Camera = 0
		s.Roots = append(s.Roots, len(s.Nodes))
		s.Nodes = append(s.Nodes, n)
	}
	if seconds > 0 {
		s.last(seconds)
	}
	return s
}

// Lasting returns the scene, moving for at least so many seconds.
func (s *Scene) Lasting(seconds float64) *Scene {
	if seconds > s.Duration() {
		s.last(seconds)
	}
	return s
}

// last lets the scene move for so many seconds, of what nothing is known.
func (s *Scene) last(seconds float64) {
	s.Channels = append(s.Channels, Channel{
		Node: len(s.Nodes), Target: Translation, Interpolation: Step, Times: []float64{0, seconds},
		Values: make([]geom.Quat, 2),
	})
	s.Roots = append(s.Roots, len(s.Nodes))
	s.Nodes = append(s.Nodes, NewNode("time"))
}
