package scene

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"image/png"

	"golang.org/x/image/webp"

	"io"
	"runtime"
	"strings"

	"github.com/cespare/xxhash/v2"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/texturetransform"
	"github.com/qmuntal/gltf/ext/unlit"
	"golang.org/x/sync/errgroup"

	"reelhouse/core/geom"
)

// Extensions of materials.
const (
	emissiveStrength = "KHR_materials_emissive_strength"
	transmission     = "KHR_materials_transmission"
	refraction       = "KHR_materials_ior"
	volume           = "KHR_materials_volume"
	clearcoat        = "KHR_materials_clearcoat"
)

// maxImageEdge bounds textures, in pixels.
const maxImageEdge = 16384

func (r *reader) materials() error {
	for i, m := range r.doc.Materials {
		out, err := r.material(m)
		if err != nil {
			return fmt.Errorf("material %d %q: %w", i, m.Name, err)
		}
		r.scene.Materials = append(r.scene.Materials, out)
	}
	return nil
}

func (r *reader) material(m *gltf.Material) (Material, error) {
	out := DefaultMaterial()
	out.Name = m.Name
	var err error
	if p := m.PBRMetallicRoughness; p != nil {
		c := p.BaseColorFactorOrDefault()
		out.BaseColor, out.Alpha = geom.Vec{X: c[0], Y: c[1], Z: c[2]}, c[3]
		out.Metallic, out.Roughness = p.MetallicFactorOrDefault(), p.RoughnessFactorOrDefault()
		if out.Base, err = r.use(p.BaseColorTexture); err != nil {
			return out, fmt.Errorf("base colour: %w", err)
		}
		if out.Surface, err = r.use(p.MetallicRoughnessTexture); err != nil {
			return out, fmt.Errorf("metallic and roughness: %w", err)
		}
	}
	if out.Glow, err = r.use(m.EmissiveTexture); err != nil {
		return out, fmt.Errorf("emission: %w", err)
	}
	if n := m.NormalTexture; n != nil && n.Index != nil {
		if out.Bumps, err = r.use(&gltf.TextureInfo{Index: *n.Index, TexCoord: n.TexCoord,
			Extensions: n.Extensions}); err != nil {
			return out, fmt.Errorf("normals: %w", err)
		}
		out.BumpScale = n.ScaleOrDefault()
	}
	if o := m.OcclusionTexture; o != nil && o.Index != nil {
		if out.Creases, err = r.use(&gltf.TextureInfo{Index: *o.Index, TexCoord: o.TexCoord,
			Extensions: o.Extensions}); err != nil {
			return out, fmt.Errorf("occlusion: %w", err)
		}
		r.note("Occlusion maps are read and not used: the renderer finds what is occluded itself.")
	}
	switch m.AlphaMode {
	case gltf.AlphaMask:
		out.Mode, out.Cutoff = Mask, m.AlphaCutoffOrDefault()
	case gltf.AlphaBlend:
		out.Mode = Blend
	}
	out.DoubleSided = m.DoubleSided
	_, out.Unlit = m.Extensions[unlit.ExtensionName]
	strength := 1.0
	var tint []float64
	for name, into := range map[string]any{
		emissiveStrength: &struct {
			Value *float64 `json:"emissiveStrength"`
		}{&strength},
		transmission: &struct {
			Value *float64 `json:"transmissionFactor"`
		}{&out.Transmission},
		refraction: &struct {
			Value *float64 `json:"ior"`
		}{&out.IOR},
		volume: &struct {
			Thickness *float64   `json:"thicknessFactor"`
			Clearness *float64   `json:"attenuationDistance"`
			Tint      *[]float64 `json:"attenuationColor"`
		}{&out.Thickness, &out.Clearness, &tint},
		clearcoat: &struct {
			Value     *float64 `json:"clearcoatFactor"`
			Roughness *float64 `json:"clearcoatRoughnessFactor"`
		}{&out.Clearcoat, &out.ClearcoatRoughness},
	} {
		if raw, ok := m.Extensions[name].(json.RawMessage); ok {
			if err := json.Unmarshal(raw, into); err != nil {
				return out, fmt.Errorf("%s: %w", name, err)
			}
		}
	}
	if len(tint) == 3 {
		out.Tint = geom.Vec{X: tint[0], Y: tint[1], Z: tint[2]}
	}
	if out.Clearcoat > 0 {
		r.note("Clearcoat is read and left out of the shading.")
	}
	out.Emission = geom.Vec{X: m.EmissiveFactor[0], Y: m.EmissiveFactor[1], Z: m.EmissiveFactor[2]}.Scale(strength)
	if !out.BaseColor.Finite() || !out.Emission.Finite() {
		return out, fmt.Errorf("a colour is not a finite number")
	}
	return out, nil
}

// use reads how a material uses a texture; nil for none.
func (r *reader) use(t *gltf.TextureInfo) (*Map, error) {
	if t == nil {
		return nil, nil
	}
	if t.Index < 0 || t.Index >= len(r.doc.Textures) {
		return nil, fmt.Errorf("texture %d does not exist", t.Index)
	}
	m := &Map{Texture: t.Index, Set: t.TexCoord, Scale: [2]float64{1, 1}}
	if ext, ok := t.Extensions[texturetransform.ExtensionName].(*texturetransform.TextureTranform); ok {
		m.Scale, m.Offset, m.Turn = ext.ScaleOrDefault(), ext.Offset, ext.Rotation
		if ext.TexCoord != nil {
			m.Set = *ext.TexCoord
		}
	}
	if m.Set < 0 || m.Set >= uvSets {
		return nil, fmt.Errorf("set %d of texture coordinates is not read; there are %d", m.Set, uvSets)
	}
	return m, nil
}

// webpTexture is the extension by which a texture names a picture in WebP.
const webpTexture = "EXT_texture_webp"

var wraps = map[gltf.WrappingMode]Wrap{
	gltf.WrapClampToEdge: Clamp, gltf.WrapMirroredRepeat: Mirror, gltf.WrapRepeat: Repeat,
}

func (r *reader) textures() error {
	for i, t := range r.doc.Textures {
		out := Texture{Image: None}
		if t.Source != nil {
			if *t.Source < 0 || *t.Source >= len(r.doc.Images) {
				return fmt.Errorf("texture %d: image %d does not exist", i, *t.Source)
			}
			out.Image = *t.Source
		}
		if from, ok := t.Extensions[webpTexture].(json.RawMessage); ok {
			var webp struct {
				Source *int `json:"source"`
			}
			if err := json.Unmarshal(from, &webp); err != nil || webp.Source == nil || *webp.Source < 0 ||
				*webp.Source >= len(r.doc.Images) {
				return fmt.Errorf("texture %d: the image of %s does not exist", i, webpTexture)
			}
			out.Image = *webp.Source
		}
		if t.Sampler != nil {
			if *t.Sampler < 0 || *t.Sampler >= len(r.doc.Samplers) {
				return fmt.Errorf("texture %d: sampler %d does not exist", i, *t.Sampler)
			}
			s := r.doc.Samplers[*t.Sampler]
			out.WrapU, out.WrapV, out.Nearest = wraps[s.WrapS], wraps[s.WrapT], s.MagFilter == gltf.MagNearest
		}
		r.scene.Textures = append(r.scene.Textures, out)
	}
	return nil
}

// images reads the pictures, several at a time, and each that stands in the file more than once, once. One that is
// missing or damaged is told as such, and its materials are drawn without it.
func (r *reader) images() error {
	r.scene.Images = make([]Image, len(r.doc.Images))
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	first := map[pictureKey]int{}
	same := map[int]int{}
	for i, in := range r.doc.Images {
		out := &r.scene.Images[i]
		out.Name = in.Name
		data, err := r.imageData(in, out)
		if err != nil {
			out.Fault = err.Error()
			continue
		}
		out.Bytes = len(data)
		key := pictureKey{xxhash.Sum64(data), len(data)}
		if other, known := first[key]; known {
			same[i] = other
			continue
		}
		first[key] = i
		decode := out.configure(data)
		if out.Fault == "" {
			if err := r.spent.picture(out.Size.X, out.Size.Y); err != nil {
				return fmt.Errorf("image %d %q: %w", i, out.Name, err)
			}
			group.Go(func() error {
				out.decode(data, decode)
				return nil
			})
		}
	}
	group.Wait() // no error is possible
	for i, other := range same {
		from, to := r.scene.Images[other], &r.scene.Images[i]
		to.Type, to.Size, to.Pixels, to.Fault = from.Type, from.Size, from.Pixels, from.Fault
	}
	for i := range r.scene.Images {
		if m := &r.scene.Images[i]; m.Name == "" {
			m.Name = fmt.Sprintf("image %d", i)
		}
	}
	if len(r.scene.Images) == 0 {
		r.scene.Images = nil
	}
	return nil
}

// A pictureKey tells the files of pictures apart.
type pictureKey struct {
	hash  uint64
	bytes int
}

func (r *reader) imageData(in *gltf.Image, out *Image) ([]byte, error) {
	if in.BufferView != nil {
		data, _, err := r.span(*in.BufferView, 0)
		return data, err
	}
	if !strings.HasPrefix(in.URI, "data:") {
		out.File = in.URI
		if out.Name == "" {
			out.Name = in.URI
		}
	}
	return r.beside.ReadFile(in.URI)
}

// configure reads what a PNG, JPEG or WebP file says of itself, and returns what decodes it.
func (m *Image) configure(data []byte) (decode func(io.Reader) (image.Image, error)) {
	config := png.DecodeConfig
	m.Type, decode = "PNG", png.Decode
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG")):
	case bytes.HasPrefix(data, []byte("\xff\xd8")):
		m.Type, decode, config = "JPEG", jpeg.Decode, jpeg.DecodeConfig
	case bytes.HasPrefix(data, []byte("RIFF")) && len(data) > 12 && string(data[8:12]) == "WEBP":
		m.Type, decode, config = "WebP", webp.Decode, webp.DecodeConfig
	default:
		m.Type, m.Fault = "", "it is neither PNG, JPEG nor WebP"
		return nil
	}
	c, err := config(bytes.NewReader(data))
	if err == nil && (c.Width < 1 || c.Height < 1 || c.Width > maxImageEdge || c.Height > maxImageEdge) {
		err = fmt.Errorf("%d × %d pixels cannot be read", c.Width, c.Height)
	}
	if err != nil {
		m.Fault = err.Error()
		return nil
	}
	m.Size = image.Pt(c.Width, c.Height)
	return decode
}

// decode reads the pixels of a file.
func (m *Image) decode(data []byte, decode func(io.Reader) (image.Image, error)) {
	src, err := decode(bytes.NewReader(data))
	if err != nil {
		m.Fault = err.Error()
		return
	}
	if straight, ok := src.(*image.NRGBA); ok && straight.Rect.Min == (image.Point{}) {
		m.Pixels = straight
		return
	}
	m.Pixels = image.NewNRGBA(image.Rectangle{Max: m.Size})
	draw.Draw(m.Pixels, m.Pixels.Rect, src, src.Bounds().Min, draw.Src)
}
