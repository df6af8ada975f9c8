package camera

import (
	"math"
	"strings"
	"testing"

	"reelhouse/core/geom"
)

// Eight cameras round a subject are 45 degrees apart; each looks at it.
func TestEightRoundASubject(t *testing.T) {
	r := Ring{Subject: geom.Vec{X: 3, Y: 1, Z: -2}, Count: 8, Radius: 10, Height: 4, Start: 90, Arc: 360}
	stands := r.Stands()
	if len(stands) != 8 || r.Apart() != 45 {
		t.Fatalf("%d cameras, %v° apart", len(stands), r.Apart())
	}
	if at := stands[0]; at.Position.Sub(geom.Vec{X: 13, Y: 5, Z: -2}).Length() > 1e-12 || at.Heading != 270 || math.Abs(at.Tilt+21.801) > 0.001 { // atan 0.4
		t.Errorf("the first stands at %+v", at)
	}
	if at := stands[2]; at.Position.Sub(geom.Vec{X: 3, Y: 5, Z: 8}).Length() > 1e-12 { // a quarter clockwise from the east is the south
		t.Errorf("the third stands at %+v", at)
	}
	for i, at := range stands {
		towards := r.Subject.Sub(at.Position).Unit()
		if looks := at.Pose().Direction(geom.Vec{Z: -1}); looks.Sub(towards).Length() > 1e-9 {
			t.Errorf("camera %d looks along %v, not at the subject along %v", i, looks, towards)
		}
		next := stands[(i+1)%8]
		if chord := next.Position.Sub(at.Position).Length(); math.Abs(chord-2*10*math.Sin(22.5*math.Pi/180)) > 1e-9 {
			t.Errorf("from camera %d to the next it is %v m", i, chord)
		}
	}
	r.Counter = true
	if at := r.Stands()[2]; at.Position.Sub(geom.Vec{X: 3, Y: 5, Z: -12}).Length() > 1e-12 {
		t.Errorf("against the clock, the third stands at %+v", at)
	}
}

func TestArcsReachFromEndToEnd(t *testing.T) {
	r := Ring{Count: 5, Radius: 1, Arc: 90, Start: 350}
	s := r.Stands()
	if r.Apart() != 22.5 || math.Abs(s[0].Heading-170) > 1e-9 || math.Abs(s[4].Heading-260) > 1e-9 {
		t.Errorf("%v° apart, from %v to %v", r.Apart(), s[0].Heading, s[4].Heading)
	}
	r.Count = 1
	if r.Apart() != 0 || len(r.Stands()) != 1 {
		t.Error("one camera of an arc")
	}
}

func TestRingsThatCannotBeAreRefused(t *testing.T) {
	good := Ring{Count: 8, Radius: 10, Arc: 360}
	if err := good.Check(); err != nil {
		t.Error(err)
	}
	for says, spoil := range map[string]func(r *Ring){
		"0 cameras": func(r *Ring) { r.Count = 0 }, "radius": func(r *Ring) { r.Radius = 0 }, "arc": func(r *Ring) { r.Arc = 361 }, "start": func(r *Ring) { r.Start = -1 }, "too far": func(r *Ring) { r.Subject.X = math.Inf(1) },
	} {
		r := good
		spoil(&r)
		if err := r.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}
