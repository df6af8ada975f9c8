package camera

import (
	"fmt"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/scene"
)

// A Source is what a view's camera is made from: one of the scene, or none, for a camera that the view sets up alone.
type Source struct {
	Node   int // of the scene, or scene.None
	Optics scene.Camera
}

// UsualFocal is the focal length in millimetres of a camera that no scene has.
const UsualFocal = 35

// OwnOptics is what a camera that no scene has sees before it is set up: a 35 mm lens on a film back of 36 x 24 mm.
func OwnOptics() scene.Camera {
	const aspect = 36.0 / 24
	return scene.Camera{Up: 2 * math.Atan(lens.BackWidth/aspect/(2*UsualFocal)), Aspect: aspect}
}

// SourceOf returns the source of a name; "" is a camera of the view's own.
func SourceOf(s *scene.Scene, name string) (Source, error) {
	if name == "" {
		return Source{scene.None, OwnOptics()}, nil
	}
	node := s.FindCamera(name)
	if node == scene.None {
		return Source{}, fmt.Errorf("the scene has no camera %q", name)
	}
	return Source{node, s.Cameras[s.Nodes[node].Camera]}, nil
}

// Pose returns where the scene has the camera; one of the view's own begins at the origin.
func (c Source) Pose(p scene.Pose) geom.Affine {
	if c.Node == scene.None {
		return geom.Identity()
	}
	return p.World[c.Node]
}

// Moves reports whether the camera moves in the scene, of whose nodes moving tells.
func (c Source) Moves(moving []bool) bool { return c.Node != scene.None && moving[c.Node] }
