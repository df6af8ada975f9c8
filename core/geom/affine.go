package geom

// An Affine maps points by p -> X*p.X + Y*p.Y + Z*p.Z + Origin: its columns are where the axes go.
type Affine struct{ X, Y, Z, Origin Vec }

// Identity returns the transform that leaves every point where it is.
func Identity() Affine { return Affine{X: Vec{X: 1}, Y: Vec{Y: 1}, Z: Vec{Z: 1}} }

// Compose returns the transform that scales, then rotates, then moves, as a glTF node does.
func Compose(move Vec, turn Quat, scale Vec) Affine {
	q := turn.Unit()
	xx, yy, zz := q.X*q.X, q.Y*q.Y, q.Z*q.Z
	xy, xz, yz := q.X*q.Y, q.X*q.Z, q.Y*q.Z
	wx, wy, wz := q.W*q.X, q.W*q.Y, q.W*q.Z
	return Affine{
		X:      Vec{1 - 2*(yy+zz), 2 * (xy + wz), 2 * (xz - wy)}.Scale(scale.X),
		Y:      Vec{2 * (xy - wz), 1 - 2*(xx+zz), 2 * (yz + wx)}.Scale(scale.Y),
		Z:      Vec{2 * (xz + wy), 2 * (yz - wx), 1 - 2*(xx+yy)}.Scale(scale.Z),
		Origin: move,
	}
}

// Point maps a position.
func (m Affine) Point(p Vec) Vec { return m.Direction(p).Add(m.Origin) }

// Direction maps a direction: without the move, and with whatever change of length the scale brings.
func (m Affine) Direction(d Vec) Vec {
	return Vec{
		m.X.X*d.X + m.Y.X*d.Y + m.Z.X*d.Z,
		m.X.Y*d.X + m.Y.Y*d.Y + m.Z.Y*d.Z,
		m.X.Z*d.X + m.Y.Z*d.Y + m.Z.Z*d.Z,
	}
}

// Mul returns the transform that does n first and then m.
func (m Affine) Mul(n Affine) Affine {
	return Affine{m.Direction(n.X), m.Direction(n.Y), m.Direction(n.Z), m.Point(n.Origin)}
}

// Turn returns the rotation of a transform whose axes are at right angles; it faces along -Z with its top along Y.
func (m Affine) Turn() Quat { return Facing(m.Z.Unit().Scale(-1), m.Y.Unit()) }

// Determinant is the volume of the mapped unit cube; 0 means that nothing can be mapped back.
func (m Affine) Determinant() float64 { return m.X.Dot(m.Y.Cross(m.Z)) }

// Inverse returns the transform that undoes m; m's determinant must not be 0.
func (m Affine) Inverse() Affine {
	d := 1 / m.Determinant()
	a, b, c := m.Y.Cross(m.Z).Scale(d), m.Z.Cross(m.X).Scale(d), m.X.Cross(m.Y).Scale(d)
	inv := Affine{X: Vec{a.X, b.X, c.X}, Y: Vec{a.Y, b.Y, c.Y}, Z: Vec{a.Z, b.Z, c.Z}}
	inv.Origin = inv.Direction(m.Origin).Scale(-1)
	return inv
}

// Normal maps a surface normal, given the inverse of the surface's transform. Its length is not kept.
func (inverse Affine) Normal(n Vec) Vec {
	return Vec{inverse.X.Dot(n), inverse.Y.Dot(n), inverse.Z.Dot(n)}
}

// A Box is an axis-aligned box. The zero Box is the point 0; EmptyBox holds nothing.
type Box struct{ Min, Max Vec }

// EmptyBox returns the box that holds nothing and grows to whatever is added.
func EmptyBox() Box {
	const far = 1e300
	return Box{Vec{far, far, far}, Vec{-far, -far, -far}}
}

// Empty reports whether the box holds no point.
func (b Box) Empty() bool { return b.Min.X > b.Max.X }

// AddPoint returns the smallest box with b and p in it.
func (b Box) AddPoint(p Vec) Box {
	return Box{
		Vec{min(b.Min.X, p.X), min(b.Min.Y, p.Y), min(b.Min.Z, p.Z)},
		Vec{max(b.Max.X, p.X), max(b.Max.Y, p.Y), max(b.Max.Z, p.Z)},
	}
}

// Union returns the smallest box with both in it.
func (b Box) Union(c Box) Box {
	return Box{
		Vec{min(b.Min.X, c.Min.X), min(b.Min.Y, c.Min.Y), min(b.Min.Z, c.Min.Z)},
		Vec{max(b.Max.X, c.Max.X), max(b.Max.Y, c.Max.Y), max(b.Max.Z, c.Max.Z)},
	}
}

// Size returns the lengths of the edges.
func (b Box) Size() Vec { return b.Max.Sub(b.Min) }

// Centre returns the middle of the box.
func (b Box) Centre() Vec { return b.Min.Add(b.Max).Scale(0.5) }

// HalfArea returns half of the surface of the box, 0 for an empty one.
func (b Box) HalfArea() float64 {
	if b.Empty() {
		return 0
	}
	s := b.Size()
	return s.X*s.Y + s.Y*s.Z + s.Z*s.X
}

// Corners returns the eight corners.
func (b Box) Corners() (corners [8]Vec) {
	for i := range corners {
		p := b.Min
		if i&1 != 0 {
			p.X = b.Max.X
		}
		if i&2 != 0 {
			p.Y = b.Max.Y
		}
		if i&4 != 0 {
			p.Z = b.Max.Z
		}
		corners[i] = p
	}
	return corners
}

// Transformed returns the box around the eight mapped corners of b.
func (b Box) Transformed(m Affine) Box {
	out := EmptyBox()
	for _, p := range b.Corners() {
		out = out.AddPoint(m.Point(p))
	}
	return out
}
