// Package geom holds the vectors, rotations and transforms of the scene and the renderer.
//
// The axes are glTF 2.0's: right-handed, +Y up, a camera looks along its own -Z. Lengths are metres.
// Everything is float64, and every function is plain arithmetic, so results are the same on any core.
package geom

import "math"

// A Vec is a point, a direction, or a linear colour.
type Vec struct{ X, Y, Z float64 }

func (a Vec) Add(b Vec) Vec             { return Vec{a.X + b.X, a.Y + b.Y, a.Z + b.Z} }
func (a Vec) Sub(b Vec) Vec             { return Vec{a.X - b.X, a.Y - b.Y, a.Z - b.Z} }
func (a Vec) Mul(b Vec) Vec             { return Vec{a.X * b.X, a.Y * b.Y, a.Z * b.Z} }
func (a Vec) Scale(s float64) Vec       { return Vec{a.X * s, a.Y * s, a.Z * s} }
func (a Vec) Dot(b Vec) float64         { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }
func (a Vec) Length() float64           { return math.Sqrt(a.Dot(a)) }
func (a Vec) Max() float64              { return max(a.X, a.Y, a.Z) }
func (a Vec) Lerp(b Vec, t float64) Vec { return a.Add(b.Sub(a).Scale(t)) }

// Cross returns the vector product a x b.
func (a Vec) Cross(b Vec) Vec {
	return Vec{a.Y*b.Z - a.Z*b.Y, a.Z*b.X - a.X*b.Z, a.X*b.Y - a.Y*b.X}
}

// Unit returns a with length 1, or a itself if its length is 0.
func (a Vec) Unit() Vec {
	if l := a.Length(); l > 0 {
		return a.Scale(1 / l)
	}
	return a
}

// Axis returns component i: 0 is X, 1 is Y, 2 is Z.
func (a Vec) Axis(i int) float64 {
	switch i {
	case 0:
		return a.X
	case 1:
		return a.Y
	}
	return a.Z
}

// Finite reports whether no component is NaN or infinite.
func (a Vec) Finite() bool {
	s := a.X + a.Y + a.Z
	return !math.IsNaN(s) && !math.IsInf(s, 0)
}

// Tangents returns two unit vectors that make a right-handed frame with the unit vector n
// (Duff et al., "Building an Orthonormal Basis, Revisited", JCGT 2017).
func (n Vec) Tangents() (Vec, Vec) {
	sign := math.Copysign(1, n.Z)
	a := -1 / (sign + n.Z)
	b := n.X * n.Y * a
	return Vec{1 + sign*n.X*n.X*a, sign * b, -sign * n.X}, Vec{b, sign + n.Y*n.Y*a, -n.Y}
}

// A Quat is a rotation as a unit quaternion; W is the scalar. The zero value means no rotation.
type Quat struct{ X, Y, Z, W float64 }

// AxisAngle returns the rotation by radians about a unit axis, counter-clockwise seen against it.
func AxisAngle(axis Vec, radians float64) Quat {
	s, c := math.Sincos(radians / 2)
	return Quat{axis.X * s, axis.Y * s, axis.Z * s, c}
}

// Mul returns the rotation that does b first and then a.
func (a Quat) Mul(b Quat) Quat {
	a, b = a.orIdentity(), b.orIdentity()
	return Quat{
		a.W*b.X + a.X*b.W + a.Y*b.Z - a.Z*b.Y,
		a.W*b.Y - a.X*b.Z + a.Y*b.W + a.Z*b.X,
		a.W*b.Z + a.X*b.Y - a.Y*b.X + a.Z*b.W,
		a.W*b.W - a.X*b.X - a.Y*b.Y - a.Z*b.Z,
	}
}

func (a Quat) orIdentity() Quat {
	if a == (Quat{}) {
		return Quat{W: 1}
	}
	return a
}

// Unit returns the rotation with length 1.
func (a Quat) Unit() Quat {
	a = a.orIdentity()
	l := 1 / math.Sqrt(a.X*a.X+a.Y*a.Y+a.Z*a.Z+a.W*a.W)
	return Quat{a.X * l, a.Y * l, a.Z * l, a.W * l}
}

// Slerp returns the rotation a fraction t of the shorter way from a to b, as glTF 2.0 (appendix C)
// wants linear interpolation of rotations.
func (a Quat) Slerp(b Quat, t float64) Quat {
	a, b = a.Unit(), b.Unit()
	d := a.X*b.X + a.Y*b.Y + a.Z*b.Z + a.W*b.W
	sign := 1.0
	if d < 0 {
		d, sign = -d, -1
	}
	u, v := 1-t, t
	if d < 0.9995 {
		angle := math.Acos(d)
		u, v = math.Sin(u*angle)/math.Sin(angle), math.Sin(t*angle)/math.Sin(angle)
	}
	v *= sign
	return Quat{u*a.X + v*b.X, u*a.Y + v*b.Y, u*a.Z + v*b.Z, u*a.W + v*b.W}.Unit()
}

// Facing returns the rotation of a camera that looks along direction with its top towards up.
func Facing(direction, up Vec) Quat {
	z := direction.Unit().Scale(-1)
	x := up.Cross(z).Unit()
	if x.Length() == 0 {
		x, _ = z.Tangents()
	}
	y := z.Cross(x)
	// Shepperd's method, the largest of four forms for accuracy.
	switch trace := x.X + y.Y + z.Z; {
	case trace > 0:
		s := math.Sqrt(trace+1) * 2
		return Quat{(y.Z - z.Y) / s, (z.X - x.Z) / s, (x.Y - y.X) / s, s / 4}
	case x.X > y.Y && x.X > z.Z:
		s := math.Sqrt(1+x.X-y.Y-z.Z) * 2
		return Quat{s / 4, (y.X + x.Y) / s, (z.X + x.Z) / s, (y.Z - z.Y) / s}
	case y.Y > z.Z:
		s := math.Sqrt(1+y.Y-x.X-z.Z) * 2
		return Quat{(y.X + x.Y) / s, s / 4, (z.Y + y.Z) / s, (z.X - x.Z) / s}
	default:
		s := math.Sqrt(1+z.Z-x.X-y.Y) * 2
		return Quat{(z.X + x.Z) / s, (z.Y + y.Z) / s, s / 4, (x.Y - y.X) / s}
	}
}
