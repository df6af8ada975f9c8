package camera

import (
	"fmt"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
)

// A Ring is cameras that stand round a subject and look at it, evenly apart.
type Ring struct {
	Code    string   `json:"code"`
	Name    string   `json:"name"`
	Camera  string   `json:"camera"`  // of the scene, whose lens all of them have
	Look    string   `json:"look"`    // of all of them
	Subject geom.Vec `json:"subject"` // metres
	Count   int      `json:"count"`
	Radius  float64  `json:"radius"` // metres, level
	Height  float64  `json:"height"` // metres above the subject
	Start   float64  `json:"start"`  // degrees from north, in which direction from the subject the first one stands
	Arc     float64  `json:"arc"`    // degrees; 360 goes all round
	// Counter goes round against the clock, as seen from above.
	Counter bool `json:"counter,omitempty"`
}

// MostInRing is the most cameras of a ring.
const MostInRing = 360

// Apart returns the degrees between one camera and the next: all round, the last one is as far from the first; otherwise the first
// and the last stand at the ends of the arc.
func (r Ring) Apart() float64 {
	switch {
	case r.Arc == 360:
		return r.Arc / float64(r.Count)
	case r.Count == 1:
		return 0
	}
	return r.Arc / float64(r.Count-1)
}

// Stands returns how the cameras stand, in their order.
func (r Ring) Stands() []Stand {
	var all []Stand
	for i := range r.Count {
		turn := float64(i) * r.Apart()
		if r.Counter {
			turn = -turn
		}
		from := math.Mod(math.Mod(r.Start+turn, 360)+360, 360)
		sin, cos := math.Sincos(radians(from))
		all = append(all, Stand{
			Position: r.Subject.Add(geom.Vec{X: r.Radius * sin, Y: r.Height, Z: -r.Radius * cos}),
			Heading:  math.Mod(from+180, 360),
			Tilt:     -lens.Degrees(math.Atan2(r.Height, r.Radius)),
		})
	}
	return all
}

// Check says what is wrong with the ring, or nil.
func (r Ring) Check() error {
	switch {
	case r.Count < 1 || r.Count > MostInRing:
		return fmt.Errorf("%d cameras; 1 to %d are possible", r.Count, MostInRing)
	case !(r.Radius > 0 && r.Radius <= MostMetres):
		return fmt.Errorf("a radius of %v m is outside 0 to %v m", r.Radius, MostMetres)
	case !(math.Abs(r.Height) <= MostMetres) || !r.Subject.Finite() || math.Abs(r.Subject.Length()) > MostMetres:
		return fmt.Errorf("the subject or the height is too far away")
	case !(r.Arc > 0 && r.Arc <= 360):
		return fmt.Errorf("an arc of %v° is outside 0 to 360°", r.Arc)
	case !(r.Start >= 0 && r.Start <= 360):
		return fmt.Errorf("a start at %v° is outside 0 to 360°", r.Start)
	}
	return nil
}
