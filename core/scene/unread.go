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
		s.Channels = []Channel{
			{
				Node:          len(s.Nodes),
				Target:        Translation,
				Interpolation: Step,
				Times:         []float64{0, seconds},
				Values:        make([]geom.Quat, 2),
			},
		}
		s.Roots = append(s.Roots, len(s.Nodes))
		s.Nodes = append(s.Nodes, NewNode("time"))
	}
	return s
}
