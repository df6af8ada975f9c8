package geom

import (
	"math"
	"testing"
)

func close(a, b Vec) bool { return a.Sub(b).Length() < 1e-12 }

func TestFacingLooksAlongItsDirection(t *testing.T) {
	for _, d := range []Vec{{1, 0, 0}, {0, 0, 1}, {0, 0, -1}, {-1, 2, 3}, {0.2, -0.9, -0.1}, {-5, 0.01, 0}} {
		m := Compose(Vec{}, Facing(d, Vec{Y: 1}), Vec{1, 1, 1})
		if got := m.Direction(Vec{Z: -1}); !close(got, d.Unit()) {
			t.Errorf("%v: looks along %v", d, got)
		}
		if up := m.Direction(Vec{Y: 1}); up.Y < 0 {
			t.Errorf("%v: stands on its head, up is %v", d, up)
		}
		if right := m.Direction(Vec{X: 1}); math.Abs(right.Y) > 1e-12 {
			t.Errorf("%v: horizon is tilted, right is %v", d, right)
		}
	}
}

func TestInverseUndoes(t *testing.T) {
	m := Compose(Vec{1, 2, 3}, AxisAngle(Vec{1, 2, -1}.Unit(), 0.7), Vec{2, 0.5, 3})
	p := Vec{-4, 5, 6}
	if got := m.Inverse().Point(m.Point(p)); !close(got, p) {
		t.Errorf("%v came back as %v", p, got)
	}
}

func TestNormalStaysPerpendicular(t *testing.T) {
	m := Compose(Vec{}, AxisAngle(Vec{Y: 1}, 0.3), Vec{1, 5, 1})
	along, normal := Vec{1, 1, 0}, Vec{1, -1, 0}
	if d := m.Direction(along).Dot(m.Inverse().Normal(normal)); math.Abs(d) > 1e-12 {
		t.Errorf("mapped normal is off by %v", d)
	}
}

func TestSlerpTurnsEvenly(t *testing.T) {
	a, b := AxisAngle(Vec{Y: 1}, 0), AxisAngle(Vec{Y: 1}, math.Pi/2)
	got := Compose(Vec{}, a.Slerp(b, 1.0/3), Vec{1, 1, 1}).Direction(Vec{X: 1})
	if want := (Vec{math.Cos(math.Pi / 6), 0, -math.Sin(math.Pi / 6)}); !close(got, want) {
		t.Errorf("a third of 90 degrees gives %v, want %v", got, want)
	}
}

func TestTransformedBoxHoldsEveryCorner(t *testing.T) {
	m := Compose(Vec{3, 0, 0}, AxisAngle(Vec{Z: 1}, math.Pi/4), Vec{1, 1, 1})
	b := Box{Vec{-1, -1, -1}, Vec{1, 1, 1}}.Transformed(m)
	if math.Abs(b.Max.X-(3+math.Sqrt2)) > 1e-12 || math.Abs(b.Size().Z-2) > 1e-12 {
		t.Errorf("box is %v", b)
	}
	if b.Union(EmptyBox()) != b || EmptyBox().Union(b) != b {
		t.Error("an empty box changes what it is joined with")
	}
	if !EmptyBox().Empty() || EmptyBox().HalfArea() != 0 {
		t.Error("the empty box is not empty")
	}
}
