package scene

import "reelhouse/core/geom"

// Targets returns how many morph targets the mesh has.
func (m Mesh) Targets() int {
	if len(m.Parts) == 0 {
		return 0
	}
	return len(m.Parts[0].Targets)
}

// Deforms reports whether the shown mesh of a node changes its shape: by a skin or by morph targets.
func (s *Scene) Deforms(node int) bool {
	n := s.Nodes[node]
	return n.Mesh != None && (n.Skin != None || s.Meshes[n.Mesh].Targets() > 0)
}

// Shape returns the mesh of a node as it is in a pose, and where it stands. A mesh on a skin stands in the world
// already.
func (s *Scene) Shape(node int, p Pose) (Mesh, geom.Affine) {
	n := s.Nodes[node]
	mesh := s.Meshes[n.Mesh]
	if !s.Deforms(node) {
		return mesh, p.World[node]
	}
	weights := p.Weights[node]
	if weights == nil {
		if weights = n.Weights; weights == nil {
			weights = mesh.Weights
		}
	}
	var joints []geom.Affine
	if n.Skin != None {
		skin := s.Skins[n.Skin]
		for i, j := range skin.Joints {
			joints = append(joints, p.World[j].Mul(skin.Inverse[i]))
		}
	}
	shaped := Mesh{Name: mesh.Name}
	for _, part := range mesh.Parts {
		part = part.morphed(weights)
		if len(joints) > 0 && len(part.Joints) > 0 {
			part = part.skinned(joints)
		}
		shaped.Parts = append(shaped.Parts, part)
	}
	if n.Skin != None {
		return shaped, geom.Identity()
	}
	return shaped, p.World[node]
}

// morphed adds the targets by their weights (glTF 2.0, section 3.7.2.2).
func (p Part) morphed(weights []float64) Part {
	add := func(to *[]geom.Vec, of func(Morph) []geom.Vec) {
		if len(*to) == 0 {
			return
		}
		out := append([]geom.Vec(nil), *to...)
		for i, t := range p.Targets {
			if deltas := of(t); i < len(weights) && weights[i] != 0 && len(deltas) > 0 {
				for k := range out {
					out[k] = out[k].Add(deltas[k].Scale(weights[i]))
				}
			}
		}
		*to = out
	}
	if len(p.Targets) > 0 {
		add(&p.Positions, func(m Morph) []geom.Vec { return m.Positions })
		add(&p.Normals, func(m Morph) []geom.Vec { return m.Normals })
	}
	return p
}

// skinned puts every vertex where its joints take it, by their weights (glTF 2.0, section 3.7.3.3).
func (p Part) skinned(joints []geom.Affine) Part {
	positions := make([]geom.Vec, len(p.Positions))
	normals := make([]geom.Vec, len(p.Normals))
	back := make([]geom.Affine, len(joints))
	for i, j := range joints {
		if j.Determinant() != 0 {
			back[i] = j.Inverse()
		}
	}
	for k, v := range p.Positions {
		sum := 0.0
		for at, w32 := range p.Weights[k] {
			j, w := int(p.Joints[k][at]), float64(w32)
			if w == 0 || j >= len(joints) {
				continue
			}
			sum += w
			positions[k] = positions[k].Add(joints[j].Point(v).Scale(w))
			if len(normals) > 0 {
				normals[k] = normals[k].Add(back[j].Normal(p.Normals[k]).Scale(w))
			}
		}
		if sum == 0 {
			positions[k] = v
			if len(normals) > 0 {
				normals[k] = p.Normals[k]
			}
			continue
		}
		positions[k] = positions[k].Scale(1 / sum)
		if len(normals) > 0 {
			normals[k] = normals[k].Unit()
		}
	}
	p.Positions, p.Normals = positions, normals
	return p
}
