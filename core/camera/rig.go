package camera

import (
	"fmt"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
)

// A RigKind is how the cameras of a rig stand to each other.
type RigKind string

// The kinds of rig.
const (
	Ring     RigKind = "ring"     // round a subject, and looking at it
	Pair     RigKind = "stereo"   // the two eyes of another view
	Cube     RigKind = "cube"     // six squares that look everywhere from one place
	Panorama RigKind = "panorama" // round about from one place, each overlapping the next
)

// A Rig is cameras that are placed together and edited as one.
type Rig struct {
	Code string  `json:"code"`
	Name string  `json:"name"`
	Kind RigKind `json:"kind"`
	// Camera is the scene's, whose lens all of a ring have; Look is the look of all of the rig. A Pair has both of its
	// view.
	Camera string `json:"camera,omitempty"`
	Look   string `json:"look,omitempty"`
	// Subject is what a Ring stands round, and where a Cube or a Panorama stands; in metres.
	Subject geom.Vec `json:"subject,omitzero"`
	Count   int      `json:"count,omitempty"`  // of a Ring or a Panorama
	Radius  float64  `json:"radius,omitempty"` // metres, level
	Height  float64  `json:"height,omitempty"` // metres above the subject
	// degrees from north: in which direction from the subject a Ring's first one stands, or the first one looks
	Start float64 `json:"start,omitempty"`
	Arc   float64 `json:"arc,omitempty"` // degrees of a Ring; 360 goes all round
	// Counter goes anticlockwise, as seen from above.
	Counter bool `json:"counter,omitempty"`
	// View is the code of the view whose eyes a Pair is.
	View string `json:"view,omitempty"`
	// Separation is how far apart the eyes are, and Convergence how far ahead lies what both see in the same place; in
	// metres. At 0 the eyes look straight ahead.
	Separation  float64 `json:"separation,omitempty"`
	Convergence float64 `json:"convergence,omitempty"`
	// Left and Right are what the names of the eyes end in.
	Left  string `json:"left,omitempty"`
	Right string `json:"right,omitempty"`
	// Overlap is how much of its width each picture of a Panorama shares with the next, in percent.
	Overlap float64 `json:"overlap,omitempty"`
}

// MostInRig is the most cameras of a rig.
const MostInRig = 360

// EyeSeparation is how far apart a person's eyes are, in metres, as is common practice.
const EyeSeparation = 0.065

// A Member is one camera of a rig.
type Member struct {
	Suffix string // of the view's code
	Name   string // what it is in the rig
	// Setup is what the rig says of the camera, on top of which its view may say more; see Member.Over.
	Setup Setup
	kind  RigKind
}

// Over returns the setup of a view that is this member. The place is the rig's; so is the lens of a Cube and a
// Panorama; and of an eye everything is as in its view, but for the lock.
func (m Member) Over(s Setup) Setup {
	switch m.kind {
	case Pair:
		locked := s.Locked
		s = m.Setup
		s.Locked = locked
	case Cube, Panorama:
		s.Focal, s.Back, s.BackHigh, s.ShiftAcross, s.ShiftUp, s.Parallel = m.Setup.Focal, 0, m.Setup.BackHigh, 0, 0, 0
	}
	s.Stand, s.Aside = m.Setup.Stand, m.Setup.Aside
	return s
}

// Apart returns the degrees between one camera and the next: all round, the last one is as far from the first;
// otherwise the first and the last stand at the ends of the arc.
func (r Rig) Apart() float64 {
	switch {
	case r.Kind == Panorama:
		return 360 / float64(r.Count)
	case r.Arc == 360:
		return r.Arc / float64(r.Count)
	case r.Count == 1:
		return 0
	}
	return r.Arc / float64(r.Count-1)
}

// around returns the degrees from north of a camera of the rig.
func (r Rig) around(i int) float64 {
	turn := float64(i) * r.Apart()
	if r.Counter {
		turn = -turn
	}
	return math.Mod(math.Mod(r.Start+turn, 360)+360, 360)
}

// Members returns the cameras in their order. A Pair wants the setup of its view, and the focal length that this comes
// to.
func (r Rig) Members(of Setup, focal float64) []Member {
	var all []Member
	switch r.Kind {
	case Ring:
		for i := range r.Count {
			from := r.around(i)
			sin, cos := math.Sincos(radians(from))
			all = append(all, r.numbered(i, Setup{Stand: &Stand{
				Position: r.Subject.Add(geom.Vec{X: r.Radius * sin, Y: r.Height, Z: -r.Radius * cos}),
				Heading:  math.Mod(from+180, 360),
				Tilt:     -lens.Degrees(math.Atan2(r.Height, r.Radius)),
			}}))
		}
	case Panorama:
		across := radians(min(r.Apart()/(1-r.Overlap/100), 170))
		for i := range r.Count {
			all = append(
				all,
				r.numbered(
					i,
					Setup{
						Stand: &Stand{Position: r.Subject, Heading: r.around(i)},
						Focal: lens.FocalLength(lens.BackWidth, across),
					},
				),
			)
		}
	case Cube:
		// Half the width of the back as focal length is 90 degrees.
		for _, face := range []struct {
			name          string
			heading, tilt float64
		}{{"front", 0, 0}, {"right", 90, 0}, {"back", 180, 0}, {"left", 270, 0}, {"up", 0, 90}, {"down", 0, -90}} {
			at := Stand{Position: r.Subject, Heading: math.Mod(r.Start+face.heading, 360), Tilt: face.tilt}
			all = append(
				all,
				Member{
					face.name, face.name, Setup{Stand: &at, Focal: lens.BackWidth / 2, BackHigh: lens.BackWidth}, Cube,
				},
			)
		}
	case Pair:
		for _, eye := range []struct {
			suffix, name string
			side         float64
		}{{r.Left, "left eye", -0.5}, {r.Right, "right eye", 0.5}} {
			s := of
			s.Aside += eye.side * r.Separation
			if r.Convergence > 0 {
				s.ShiftAcross -= focal * eye.side * r.Separation / r.Convergence
			}
			all = append(all, Member{eye.suffix, eye.name, s, Pair})
		}
	}
	return all
}

func (r Rig) numbered(i int, s Setup) Member {
	return Member{
		Suffix: fmt.Sprintf("%0*d", len(fmt.Sprint(r.Count)), i+1),
		Name:   fmt.Sprint(i + 1),
		Setup:  s,
		kind:   r.Kind,
	}
}

// Check says what is wrong with the rig, or nil.
func (r Rig) Check() error {
	counted := r.Kind == Ring || r.Kind == Panorama
	switch {
	case !counted && r.Kind != Pair && r.Kind != Cube:
		return fmt.Errorf("there is no rig of the kind %q", r.Kind)
	case counted && (r.Count < 1 || r.Count > MostInRig):
		return fmt.Errorf("%d cameras; 1 to %d are possible", r.Count, MostInRig)
	case !(math.Abs(r.Height) <= MostMetres) || !r.Subject.Finite() || r.Subject.Length() > MostMetres:
		return fmt.Errorf("the subject or the height is too far away")
	case !(r.Start >= 0 && r.Start <= 360):
		return fmt.Errorf("a start at %v° is outside 0 to 360°", r.Start)
	case r.Kind == Ring && !(r.Radius > 0 && r.Radius <= MostMetres):
		return fmt.Errorf("a radius of %v m is outside 0 to %v m", r.Radius, MostMetres)
	case r.Kind == Ring && !(r.Arc > 0 && r.Arc <= 360):
		return fmt.Errorf("an arc of %v° is outside 0 to 360°", r.Arc)
	case r.Kind == Panorama && r.Count < 3:
		return fmt.Errorf("a panorama needs 3 views or more to go round")
	case r.Kind == Panorama && !(r.Overlap >= 0 && r.Overlap <= 60):
		return fmt.Errorf("an overlap of %v %% is outside 0 to 60 %%", r.Overlap)
	case r.Kind == Panorama && r.Apart()/(1-r.Overlap/100) > 150:
		return fmt.Errorf(
			"each of %d views would see %.0f° across; take more views or less overlap", r.Count,
			r.Apart()/(1-r.Overlap/100),
		)
	case r.Kind == Pair && !(r.Separation > 0 && r.Separation <= 1000):
		return fmt.Errorf("a separation of %v m is outside 0 to 1000 m", r.Separation)
	case r.Kind == Pair && r.Convergence != 0 && !(r.Convergence >= 0.01 && r.Convergence <= MostMetres):
		return fmt.Errorf("eyes cannot meet at %v m; 0 lets them look straight ahead", r.Convergence)
	case r.Kind == Pair && (r.Left == "" || r.Right == "" || r.Left == r.Right):
		return fmt.Errorf("the two eyes need endings of their names that differ")
	}
	return nil
}
