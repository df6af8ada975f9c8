package batch

import (
	"testing"

	"reelhouse/core/plan"
	"reelhouse/core/production"
)

// A camera is marked that neither the code nor the name of its view suggests.
func TestACameraThatTheViewsNameDoesNotSuggest(t *testing.T) {
	for _, c := range []struct {
		code, name, camera, rig string
		unlike                  bool
	}{
		{"quay", "From the quay", "cam_quay", "", false},
		{"quay_wide", "", "Camera-Quay", "", false},
		{"night", "The quay by lamplight", "cam_quay", "", false},
		{"night", "By lamplight", "cam_quay", "", true},
		{"tall", "Tall", "cam_lighthouse", "", true},
		{"turn_1", "Turnaround", "cam_bow", "turn", false}, // a rig takes the lens of any
		{"view1", "New view", "", "", false},               // of its own
	} {
		v := production.View{Code: c.code, Name: c.name, Rig: c.rig}
		if got := unlike(v, plan.Sequence{Camera: c.camera}); got != c.unlike {
			t.Errorf("%+v: %v", c, got)
		}
	}
}
