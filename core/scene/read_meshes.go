package scene

import (
	"fmt"

	"github.com/qmuntal/gltf"

	"reelhouse/core/geom"
)

const uvSets = 2

func (r *reader) meshes() error {
	for i, m := range r.doc.Meshes {
		mesh := Mesh{Name: m.Name, Weights: m.Weights}
		targets := -1
		for j, p := range m.Primitives {
			if p.Mode == gltf.PrimitivePoints || p.Mode == gltf.PrimitiveLines || p.Mode == gltf.PrimitiveLineLoop ||
				p.Mode == gltf.PrimitiveLineStrip {
				mesh.Loose++
				r.note("Mesh %q has points or lines, which have no surface and are not drawn.", m.Name)
				continue
			}
			part, err := r.part(p)
			if err != nil {
				return fmt.Errorf("mesh %d %q, part %d: %w", i, m.Name, j, err)
			}
			if targets >= 0 && targets != len(part.Targets) {
				return fmt.Errorf(
					"mesh %d %q, part %d: %d morph targets, and %d in a part before it", i, m.Name, j,
					len(part.Targets), targets,
				)
			}
			targets = len(part.Targets)
			mesh.Parts = append(mesh.Parts, part)
		}
		if len(mesh.Weights) > 0 && targets >= 0 && len(mesh.Weights) != targets {
			return fmt.Errorf("mesh %d %q: %d weights for %d morph targets", i, m.Name, len(mesh.Weights), targets)
		}
		r.scene.Meshes = append(r.scene.Meshes, mesh)
	}
	return nil
}

func (r *reader) part(p *gltf.Primitive) (Part, error) {
	part := Part{Material: None}
	if p.Material != nil {
		if *p.Material < 0 || *p.Material >= len(r.scene.Materials) {
			return part, fmt.Errorf("material %d does not exist", *p.Material)
		}
		part.Material = *p.Material
	}
	position, ok := p.Attributes[gltf.POSITION]
	if !ok {
		return part, fmt.Errorf("it has no positions")
	}
	var err error
	if part.Variants, err = r.variantsOf(p); err != nil {
		return part, err
	}
	if part.Positions, err = r.vectors(position); err != nil {
		return part, fmt.Errorf("positions: %w", err)
	}
	if err := r.attributes(&part, p.Attributes); err != nil {
		return part, err
	}
	if p.Indices == nil {
		part.Indices = make([]uint32, len(part.Positions))
		for i := range part.Indices {
			part.Indices[i] = uint32(i)
		}
	} else if part.Indices, err = r.indices(*p.Indices); err != nil {
		return part, fmt.Errorf("indices: %w", err)
	}
	for _, i := range part.Indices {
		if int(i) >= len(part.Positions) {
			return part, fmt.Errorf("index %d is beyond its %d positions", i, len(part.Positions))
		}
	}
	part.Indices = triangles(p.Mode, part.Indices)
	for i, t := range p.Targets {
		m, err := r.morph(t, len(part.Positions))
		if err != nil {
			return part, fmt.Errorf("morph target %d: %w", i, err)
		}
		part.Targets = append(part.Targets, m)
	}
	return part, nil
}

// triangles turns strips and fans into single triangles, all turning the same way (glTF 2.0, section 3.7.2.1).
func triangles(mode gltf.PrimitiveMode, in []uint32) []uint32 {
	if mode == gltf.PrimitiveTriangles {
		return in[:len(in)/3*3]
	}
	var out []uint32
	for i := 0; i+2 < len(in); i++ {
		switch {
		case mode == gltf.PrimitiveTriangleFan:
			out = append(out, in[i+1], in[i+2], in[0])
		case i%2 == 0:
			out = append(out, in[i], in[i+1], in[i+2])
		default:
			out = append(out, in[i], in[i+2], in[i+1])
		}
	}
	return out
}

// attributes reads what a part has beside positions. Every list is as long as theirs.
func (r *reader) attributes(part *Part, from gltf.PrimitiveAttributes) error {
	n := len(part.Positions)
	read := func(name string, with func(k int, v []float64), kinds ...gltf.AccessorType) (bool, error) {
		i, there := from[name]
		if !there {
			return false, nil
		}
		count, err := r.each(i, with, kinds...)
		if err == nil && count != n {
			err = fmt.Errorf("%d of them for %d positions", count, n)
		}
		if err != nil {
			return false, fmt.Errorf("%s: %w", name, err)
		}
		return true, nil
	}
	if i, there := from[gltf.NORMAL]; there {
		var err error
		if part.Normals, err = r.vectors(i); err == nil && len(part.Normals) != n {
			err = fmt.Errorf("%d of them for %d positions", len(part.Normals), n)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", gltf.NORMAL, err)
		}
	}
	for set := range uvSets {
		var uv []UV
		there, err := read(
			fmt.Sprintf("TEXCOORD_%d", set),
			func(_ int, v []float64) { uv = append(uv, UV{float32(v[0]), float32(v[1])}) },
			gltf.AccessorVec2,
		)
		if err != nil {
			return err
		}
		if there {
			for len(part.UV) < set {
				part.UV = append(part.UV, nil)
			}
			part.UV = append(part.UV, uv)
		}
	}
	if _, err := read(gltf.COLOR_0, func(_ int, v []float64) {
		c := Color{float32(v[0]), float32(v[1]), float32(v[2]), 1}
		if len(v) == 4 {
			c.A = float32(v[3])
		}
		part.Colors = append(part.Colors, c)
	}, gltf.AccessorVec3, gltf.AccessorVec4); err != nil {
		return err
	}
	if _, err := read(gltf.JOINTS_0, func(_ int, v []float64) {
		part.Joints = append(part.Joints, [4]uint16{uint16(v[0]), uint16(v[1]), uint16(v[2]), uint16(v[3])})
	}, gltf.AccessorVec4); err != nil {
		return err
	}
	if _, err := read(gltf.WEIGHTS_0, func(_ int, v []float64) {
		part.Weights = append(part.Weights, [4]float32{float32(v[0]), float32(v[1]), float32(v[2]), float32(v[3])})
	}, gltf.AccessorVec4); err != nil {
		return err
	}
	if len(part.Joints) != len(part.Weights) {
		return fmt.Errorf("it has joints without weights, or weights without joints")
	}
	if _, more := from["JOINTS_1"]; more {
		r.note("More than four joints a vertex: the first four are used.")
	}
	return nil
}

func (r *reader) morph(from gltf.PrimitiveAttributes, n int) (Morph, error) {
	var m Morph
	for name, to := range map[string]*[]geom.Vec{gltf.POSITION: &m.Positions, gltf.NORMAL: &m.Normals} {
		i, there := from[name]
		if !there {
			continue
		}
		v, err := r.vectors(i)
		if err == nil && len(v) != n {
			err = fmt.Errorf("%d of them for %d positions", len(v), n)
		}
		if err != nil {
			return m, fmt.Errorf("%s: %w", name, err)
		}
		*to = v
	}
	return m, nil
}

// skins reads which nodes move which meshes. Nodes are there already.
func (r *reader) skins() error {
	for i, s := range r.doc.Skins {
		skin := Skin{Name: s.Name, Joints: s.Joints}
		for _, j := range s.Joints {
			if j < 0 || j >= len(r.doc.Nodes) {
				return fmt.Errorf("skin %d %q: joint node %d does not exist", i, s.Name, j)
			}
		}
		if len(skin.Joints) == 0 {
			return fmt.Errorf("skin %d %q has no joints", i, s.Name)
		}
		if s.InverseBindMatrices != nil {
			_, err := r.each(*s.InverseBindMatrices, func(_ int, v []float64) {
				skin.Inverse = append(skin.Inverse, geom.Affine{
					X: geom.Vec{
						X: v[0],
						Y: v[1],
						Z: v[2],
					}, Y: geom.Vec{X: v[4], Y: v[5], Z: v[6]}, Z: geom.Vec{X: v[8], Y: v[9], Z: v[10]},
					Origin: geom.Vec{X: v[12], Y: v[13], Z: v[14]},
				})
			}, gltf.AccessorMat4)
			if err == nil && len(skin.Inverse) < len(skin.Joints) {
				err = fmt.Errorf("%d matrices for %d joints", len(skin.Inverse), len(skin.Joints))
			}
			if err != nil {
				return fmt.Errorf("skin %d %q: inverse bind matrices: %w", i, s.Name, err)
			}
		}
		for len(skin.Inverse) < len(skin.Joints) {
			skin.Inverse = append(skin.Inverse, geom.Identity())
		}
		r.scene.Skins = append(r.scene.Skins, skin)
	}
	return nil
}
