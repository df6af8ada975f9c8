package scene

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"

	"reelhouse/core/geom"
)

const (
	emissiveStrength = "KHR_materials_emissive_strength"
	maxDepth         = 256 // levels of nodes; deeper files are refused, a cycle among them
)

// MaxFileBytes is the size above which a scene file is refused.
const MaxFileBytes = 1 << 30

// Read reads a glTF 2.0 file, binary or with everything embedded. An error says which part of the
// file is at fault. Features of the standard that this program does not draw are listed in Notes.
func Read(r io.Reader) (s *Scene, err error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxFileBytes+1))
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	if err := checkContainer(data); err != nil {
		return nil, err
	}
	// The decoding package indexes by numbers from the file; what slips past our own checks must not
	// take the program with it.
	defer func() {
		if p := recover(); p != nil {
			s, err = nil, fmt.Errorf("scene file: damaged glTF data (%v)", p)
		}
	}()
	var doc gltf.Document
	if err := gltf.NewDecoder(bytes.NewReader(data)).Decode(&doc); err != nil {
		return nil, fmt.Errorf("scene file: not a readable glTF 2.0 file: %w", err)
	}
	if doc.Asset.Version != "2.0" {
		return nil, fmt.Errorf("scene file: glTF version is %q; 2.0 is needed", doc.Asset.Version)
	}
	reader := &reader{doc: &doc, scene: &Scene{}}
	if err := reader.all(); err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	return reader.scene, nil
}

// checkContainer holds the lengths in a GLB header (glTF 2.0, section 4.4) against the file's own.
func checkContainer(data []byte) error {
	switch {
	case len(data) == 0:
		return fmt.Errorf("scene file: the file is empty")
	case len(data) > MaxFileBytes:
		return fmt.Errorf("scene file: larger than %d MB", MaxFileBytes>>20)
	case !bytes.HasPrefix(data, []byte("glTF")):
		if !bytes.HasPrefix(bytes.TrimLeft(data, " \t\r\n"), []byte("{")) {
			return fmt.Errorf("scene file: neither a binary nor a text glTF file")
		}
		return nil
	case len(data) < 20:
		return fmt.Errorf("scene file: cut short in its header, %d bytes", len(data))
	}
	total := binary.LittleEndian.Uint32(data[8:])
	if int64(total) > int64(len(data)) {
		return fmt.Errorf("scene file: cut short: it says %d bytes and has %d", total, len(data))
	}
	for at := uint64(12); at < uint64(total); {
		if at+8 > uint64(total) {
			return fmt.Errorf("scene file: a chunk header at byte %d is cut short", at)
		}
		length := uint64(binary.LittleEndian.Uint32(data[at:]))
		if at+8+length > uint64(total) {
			return fmt.Errorf("scene file: the chunk at byte %d runs past the end of the file", at)
		}
		at += 8 + length
	}
	return nil
}

type reader struct {
	doc   *gltf.Document
	scene *Scene
}

func (r *reader) note(format string, args ...any) {
	if text := fmt.Sprintf(format, args...); !slices.Contains(r.scene.Notes, text) {
		r.scene.Notes = append(r.scene.Notes, text)
	}
}

func (r *reader) all() error {
	for _, name := range r.doc.ExtensionsRequired {
		if name != lightspunctual.ExtensionName && name != emissiveStrength {
			return fmt.Errorf("the file requires the extension %s, which is not understood here", name)
		}
	}
	for _, name := range r.doc.ExtensionsUsed {
		if name != lightspunctual.ExtensionName && name != emissiveStrength {
			r.note("The optional extension %s is ignored.", name)
		}
	}
	if len(r.doc.Textures) > 0 {
		r.note("%d textures are ignored; plain material colours are used.", len(r.doc.Textures))
	}
	if len(r.doc.Skins) > 0 {
		r.note("%d skins are ignored; skinned meshes stand in their bind pose.", len(r.doc.Skins))
	}
	for _, step := range []func() error{r.materials, r.meshes, r.lights, r.cameras, r.nodes, r.roots, r.animations} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

func (r *reader) materials() error {
	for i, m := range r.doc.Materials {
		out := DefaultMaterial()
		out.Name = m.Name
		if p := m.PBRMetallicRoughness; p != nil {
			c := p.BaseColorFactorOrDefault()
			out.BaseColor, out.Alpha = geom.Vec{X: c[0], Y: c[1], Z: c[2]}, c[3]
			out.Metallic, out.Roughness = p.MetallicFactorOrDefault(), p.RoughnessFactorOrDefault()
		}
		strength := 1.0
		if raw, ok := m.Extensions[emissiveStrength].(json.RawMessage); ok {
			ext := struct {
				EmissiveStrength *float64 `json:"emissiveStrength"`
			}{&strength}
			if err := json.Unmarshal(raw, &ext); err != nil {
				return fmt.Errorf("material %d %q: %s: %w", i, m.Name, emissiveStrength, err)
			}
		}
		out.Emission = geom.Vec{X: m.EmissiveFactor[0], Y: m.EmissiveFactor[1], Z: m.EmissiveFactor[2]}.Scale(strength)
		if !out.BaseColor.Finite() || !out.Emission.Finite() {
			return fmt.Errorf("material %d %q: a colour is not a finite number", i, m.Name)
		}
		r.scene.Materials = append(r.scene.Materials, out)
	}
	return nil
}

func (r *reader) meshes() error {
	for i, m := range r.doc.Meshes {
		mesh := Mesh{Name: m.Name}
		for j, p := range m.Primitives {
			if p.Mode != gltf.PrimitiveTriangles {
				r.note("Mesh %q has points, lines or strips, which are not drawn.", m.Name)
				continue
			}
			if len(p.Targets) > 0 {
				r.note("Mesh %q has morph targets, which are ignored.", m.Name)
			}
			part, err := r.part(p)
			if err != nil {
				return fmt.Errorf("mesh %d %q, part %d: %w", i, m.Name, j, err)
			}
			mesh.Parts = append(mesh.Parts, part)
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
	if part.Positions, err = r.vectors(position); err != nil {
		return part, fmt.Errorf("positions: %w", err)
	}
	if normal, ok := p.Attributes[gltf.NORMAL]; ok {
		if part.Normals, err = r.vectors(normal); err != nil {
			return part, fmt.Errorf("normals: %w", err)
		}
		if len(part.Normals) != len(part.Positions) {
			return part, fmt.Errorf("%d normals for %d positions", len(part.Normals), len(part.Positions))
		}
	}
	if p.Indices == nil {
		for i := range part.Positions {
			part.Indices = append(part.Indices, uint32(i))
		}
	} else {
		accessor, err := r.accessor(*p.Indices)
		if err != nil {
			return part, fmt.Errorf("indices: %w", err)
		}
		if part.Indices, err = modeler.ReadIndices(r.doc, accessor, nil); err != nil {
			return part, fmt.Errorf("indices: %w", err)
		}
	}
	part.Indices = part.Indices[:len(part.Indices)/3*3]
	for _, i := range part.Indices {
		if int(i) >= len(part.Positions) {
			return part, fmt.Errorf("index %d is beyond its %d positions", i, len(part.Positions))
		}
	}
	return part, nil
}

// accessor returns accessor i after holding its span against the data that is there.
func (r *reader) accessor(i int) (*gltf.Accessor, error) {
	if i < 0 || i >= len(r.doc.Accessors) {
		return nil, fmt.Errorf("accessor %d does not exist", i)
	}
	a := r.doc.Accessors[i]
	if a.Sparse != nil {
		return nil, fmt.Errorf("accessor %d is sparse, which is not read here", i)
	}
	if a.BufferView == nil {
		return nil, fmt.Errorf("accessor %d has no data", i)
	}
	if v := *a.BufferView; v < 0 || v >= len(r.doc.BufferViews) {
		return nil, fmt.Errorf("accessor %d: buffer view %d does not exist", i, v)
	}
	view := r.doc.BufferViews[*a.BufferView]
	if view.Buffer < 0 || view.Buffer >= len(r.doc.Buffers) {
		return nil, fmt.Errorf("buffer view %d: buffer %d does not exist", *a.BufferView, view.Buffer)
	}
	data := len(r.doc.Buffers[view.Buffer].Data)
	if view.ByteOffset < 0 || view.ByteLength < 0 || view.ByteOffset > data || view.ByteLength > data-view.ByteOffset {
		return nil, fmt.Errorf("buffer view %d reaches past the end of its buffer", *a.BufferView)
	}
	element := gltf.SizeOfElement(a.ComponentType, a.Type)
	stride := max(view.ByteStride, element)
	if a.Count <= 0 || a.ByteOffset < 0 || a.Count > view.ByteLength || a.ByteOffset+stride*(a.Count-1)+element > view.ByteLength {
		return nil, fmt.Errorf("accessor %d: %d elements do not fit its buffer view", i, a.Count)
	}
	return a, nil
}

func (r *reader) vectors(i int) ([]geom.Vec, error) {
	a, err := r.accessor(i)
	if err != nil {
		return nil, err
	}
	raw, err := modeler.ReadPosition(r.doc, a, nil)
	if err != nil {
		return nil, err
	}
	out := make([]geom.Vec, len(raw))
	for j, v := range raw {
		out[j] = geom.Vec{X: float64(v[0]), Y: float64(v[1]), Z: float64(v[2])}
		if !out[j].Finite() {
			return nil, fmt.Errorf("element %d of accessor %d is not a finite number", j, i)
		}
	}
	return out, nil
}

func (r *reader) lights() error {
	ext, ok := r.doc.Extensions[lightspunctual.ExtensionName]
	if !ok {
		return nil
	}
	lights, ok := ext.(lightspunctual.Lights)
	if !ok {
		return fmt.Errorf("%s: the list of lights cannot be read", lightspunctual.ExtensionName)
	}
	for i, l := range lights {
		if l == nil {
			return fmt.Errorf("light %d is empty", i)
		}
		c := l.ColorOrDefault()
		out := Light{Name: l.Name, Kind: LightKind(l.Type), Color: geom.Vec{X: c[0], Y: c[1], Z: c[2]}, Intensity: l.IntensityOrDefault()}
		if l.Range != nil && !math.IsInf(*l.Range, 0) {
			out.Range = *l.Range
		}
		switch out.Kind {
		case Sun, Point:
		case Spot:
			out.OuterCone = math.Pi / 4
			if l.Spot != nil {
				out.InnerCone, out.OuterCone = l.Spot.InnerConeAngle, l.Spot.OuterConeAngleOrDefault()
			}
		default:
			return fmt.Errorf("light %d %q: unknown type %q", i, l.Name, l.Type)
		}
		r.scene.Lights = append(r.scene.Lights, out)
	}
	return nil
}

func (r *reader) cameras() error {
	for i, c := range r.doc.Cameras {
		p := c.Perspective
		if p == nil {
			return fmt.Errorf("camera %d %q is orthographic; only perspective cameras are drawn here", i, c.Name)
		}
		out := Camera{Name: c.Name, Up: p.Yfov, Aspect: 16.0 / 9}
		if p.AspectRatio != nil {
			out.Aspect = *p.AspectRatio
		}
		if !(out.Up > 0 && out.Up < math.Pi) || !(out.Aspect > 0.01 && out.Aspect < 100) {
			return fmt.Errorf("camera %d %q: field of view %v rad at aspect ratio %v cannot be drawn", i, c.Name, out.Up, out.Aspect)
		}
		r.scene.Cameras = append(r.scene.Cameras, out)
	}
	return nil
}
