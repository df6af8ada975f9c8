package trace

import (
	"image"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/pixel"
	"reelhouse/core/scene"
)

// decoded is linear light by 8-bit sRGB codes.
var decoded = func() (table [256]float64) {
	for i := range table {
		table[i] = pixel.SRGB.Decode(float64(i) / 255)
	}
	return table
}()

// A texel is what a texture has at a place, from 0 to 1.
type texel [4]float64

// lookUp returns a texture's value where a map places three corners, mixed by u and v; false if its image is not there.
// Values are codes, or with light linear light.
//
// The value is averaged over texels of as many as span says in each direction, by the finer copies of the picture that
// Prepare made.
func (w *World) lookUp(m *scene.Map, c []corner, u, v float64, light bool, span float64) (texel, bool) {
	if m == nil {
		return texel{}, false
	}
	t := &w.model.scene.Textures[m.Texture]
	if t.Image == scene.None || w.model.scene.Images[t.Image].Pixels == nil {
		return texel{}, false
	}
	a, b, d := c[0].uv[m.Set], c[1].uv[m.Set], c[2].uv[m.Set]
	x, y := m.Place(mix3(a.U, b.U, d.U, u, v), mix3(a.V, b.V, d.V, u, v))
	return w.sample(t, x, y, light, span), true
}

func mix3(a, b, c float32, u, v float64) float64 {
	return float64(a)*(1-u-v) + float64(b)*u + float64(c)*v
}

// sample returns a texture's value at coordinates from its top left corner, averaged over span of the picture's width.
func (w *World) sample(t *scene.Texture, u, v float64, light bool, span float64) texel {
	if math.IsNaN(u+v) || math.Abs(u) > 1<<24 || math.Abs(v) > 1<<24 {
		return texel{}
	}
	levels := w.model.levels[t.Image]
	level := 0.0
	if texels := span * math.Sqrt(float64(levels[0].Rect.Dx()*levels[0].Rect.Dy())); texels > 1 && !t.Nearest {
		level = math.Log2(texels)
	}
	k := min(int(level), len(levels)-1)
	out := patch(levels[k], t, u, v, light)
	if share := level - float64(k); share > 0 && k+1 < len(levels) {
		coarse := patch(levels[k+1], t, u, v, light)
		for i := range out {
			out[i] += (coarse[i] - out[i]) * share
		}
	}
	return out
}

// patch mixes the four pixels around a place.
func patch(img *image.NRGBA, t *scene.Texture, u, v float64, light bool) texel {
	width, height := img.Rect.Dx(), img.Rect.Dy()
	at := func(x, y int) (out texel) {
		p := img.Pix[wrapped(y, height, t.WrapV)*img.Stride+4*wrapped(x, width, t.WrapU):][:4]
		for i := range 3 {
			if light {
				out[i] = decoded[p[i]]
			} else {
				out[i] = float64(p[i]) / 255
			}
		}
		out[3] = float64(p[3]) / 255
		return out
	}
	x, y := u*float64(width), v*float64(height)
	if t.Nearest {
		return at(int(math.Floor(x)), int(math.Floor(y)))
	}
	x, y = x-0.5, y-0.5
	left, top := math.Floor(x), math.Floor(y)
	i, j, fx, fy := int(left), int(top), x-left, y-top
	var out texel
	for k, p := range [4]texel{at(i, j), at(i+1, j), at(i, j+1), at(i+1, j+1)} {
		weight := [4]float64{(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy}[k]
		for c := range out {
			out[c] += weight * p[c]
		}
	}
	return out
}

// halved returns copies of a picture, each half as wide and high as the one before, down to a single pixel. Light is
// averaged as light.
func halved(img *image.NRGBA, light bool) []*image.NRGBA {
	all := []*image.NRGBA{img}
	for img.Rect.Dx() > 1 || img.Rect.Dy() > 1 {
		width, height := max(1, img.Rect.Dx()/2), max(1, img.Rect.Dy()/2)
		half := image.NewNRGBA(image.Rect(0, 0, width, height))
		for y := range height {
			for x := range width {
				for c := range 4 {
					sum := 0.0
					for k := range 4 {
						code := img.Pix[min(2*y+k/2, img.Rect.Dy()-1)*img.Stride+4*min(2*x+k%2, img.Rect.Dx()-1)+c]
						if light && c < 3 {
							sum += decoded[code]
						} else {
							sum += float64(code) / 255
						}
					}
					if sum /= 4; light && c < 3 {
						sum = pixel.SRGB.Encode(sum)
					}
					half.Pix[y*half.Stride+4*x+c] = uint8(sum*255 + 0.5)
				}
			}
		}
		all = append(all, half)
		img = half
	}
	return all
}

// levels makes smaller copies of the scene's pictures.
func levels(s *scene.Scene) [][]*image.NRGBA {
	light := make([]bool, len(s.Images))
	for _, m := range s.Materials {
		for _, use := range []*scene.Map{m.Base, m.Glow} {
			if use != nil && s.Textures[use.Texture].Image != scene.None {
				light[s.Textures[use.Texture].Image] = true
			}
		}
	}
	all := make([][]*image.NRGBA, len(s.Images))
	for i, m := range s.Images {
		if m.Pixels != nil {
			all[i] = halved(m.Pixels, light[i])
		}
	}
	return all
}

// wrapped returns the pixel that stands at a place beyond the edges, too.
func wrapped(i, n int, how scene.Wrap) int {
	switch how {
	case scene.Clamp:
		return min(max(i, 0), n-1)
	case scene.Mirror:
		if i %= 2 * n; i < 0 {
			i += 2 * n
		}
		return min(i, 2*n-1-i)
	}
	if i %= n; i < 0 {
		i += n
	}
	return i
}

// texture puts into a surface what textures and colours of vertices make of its material there, averaged over width
// metres.
func (w *World) texture(s *surface, h *hit, width float64) {
	in, m := h.instance, s.material
	c := in.solid.corners[3*h.triangle:][:3]
	s.base = s.base.Mul(geom.Vec{
		X: mix3(c[0].color.R, c[1].color.R, c[2].color.R, h.u, h.v),
		Y: mix3(c[0].color.G, c[1].color.G, c[2].color.G, h.u, h.v),
		Z: mix3(c[0].color.B, c[1].color.B, c[2].color.B, h.u, h.v),
	})
	if m.Base == nil && m.Surface == nil && m.Glow == nil && m.Bumps == nil {
		return
	}
	// The share of the picture that a metre takes, by the triangle's areas in the picture and in the world.
	span := func(use *scene.Map) float64 {
		if use == nil || width == 0 {
			return 0
		}
		corners := in.solid.cornersAt(h.triangle, midway)
		area := in.toWorld.Direction(edge(corners[0], corners[1])).
			Cross(in.toWorld.Direction(edge(corners[0], corners[2]))).
			Length()
		a, b, d := c[0].uv[use.Set], c[1].uv[use.Set], c[2].uv[use.Set]
		spread := math.Abs(float64((b.U-a.U)*(d.V-a.V)-(d.U-a.U)*(b.V-a.V))) * math.Abs(use.Scale[0]*use.Scale[1])
		return width * math.Sqrt(spread/max(area, 1e-30))
	}
	if t, ok := w.lookUp(m.Base, c, h.u, h.v, true, span(m.Base)); ok {
		s.base = s.base.Mul(geom.Vec{X: t[0], Y: t[1], Z: t[2]})
	}
	if t, ok := w.lookUp(m.Surface, c, h.u, h.v, false, span(m.Surface)); ok {
		s.roughness, s.metallic = m.Roughness*t[1], m.Metallic*t[2]
	}
	if t, ok := w.lookUp(m.Glow, c, h.u, h.v, true, span(m.Glow)); ok {
		s.emission = m.Emission.Mul(geom.Vec{X: t[0], Y: t[1], Z: t[2]})
	}
	if t, ok := w.lookUp(m.Bumps, c, h.u, h.v, false, span(m.Bumps)); ok {
		w.bump(s, h, c, m, t)
	}
}

// emissionAt returns the light that a surface gives off at a place.
func (w *World) emissionAt(h *hit) geom.Vec {
	in := h.instance
	m := &w.materials[in.solid.triangles[h.triangle].material]
	if m.Glow == nil || len(in.solid.corners) == 0 {
		return m.Emission
	}
	if t, ok := w.lookUp(m.Glow, in.solid.corners[3*h.triangle:][:3], h.u, h.v, true, 0); ok {
		return m.Emission.Mul(geom.Vec{X: t[0], Y: t[1], Z: t[2]})
	}
	return m.Emission
}

// bump turns the shading normal as a normal map says (glTF 2.0, section 3.9.3): red along rising U, green upwards, blue
// outwards.
func (w *World) bump(s *surface, h *hit, c []corner, m *scene.Material, t texel) {
	tri := h.instance.solid.cornersAt(h.triangle, midway)
	edge1, edge2 := edge(tri[0], tri[1]), edge(tri[0], tri[2])
	place := func(k int) (float64, float64) {
		uv := c[k].uv[m.Bumps.Set]
		return m.Bumps.Place(float64(uv.U), float64(uv.V))
	}
	u0, v0 := place(0)
	u1, v1 := place(1)
	u2, v2 := place(2)
	u1, v1, u2, v2 = u1-u0, v1-v0, u2-u0, v2-v0
	det := u1*v2 - u2*v1
	if det == 0 {
		return
	}
	along := h.instance.toWorld.Direction(edge1.Scale(v2 / det).Sub(edge2.Scale(v1 / det)))
	along = along.Sub(s.normal.Scale(along.Dot(s.normal)))
	if along.Length() == 0 {
		return
	}
	along = along.Unit()
	// Green rises upwards in the picture, against V.
	across, down := s.normal.Cross(along), h.instance.toWorld.Direction(edge2.Scale(u1/det).Sub(edge1.Scale(u2/det)))
	if across.Dot(down) > 0 {
		across = across.Scale(-1)
	}
	n := along.Scale((2*t[0] - 1) * m.BumpScale).
		Add(across.Scale((2*t[1] - 1) * m.BumpScale)).
		Add(s.normal.Scale(2*t[2] - 1))
	if n.Length() == 0 {
		return
	}
	if n = n.Unit(); n.Dot(s.face) > 0.01 {
		s.normal = n
	}
}

// through reports whether a ray goes on through what it met: where a mask has a hole; or, of what covers in part, as
// often as it does not cover. Chance is hashed from the ray, so that the same ray always fares the same.
func (in *instance) through(triangle int32, u, v float64, r *ray) bool {
	t := &in.solid.triangles[triangle]
	if t.material < 0 {
		return false
	}
	w := in.world
	m := &w.materials[t.material]
	if m.Mode == scene.Opaque {
		return false
	}
	alpha := m.Alpha
	if len(in.solid.corners) > 0 {
		c := in.solid.corners[3*triangle:][:3]
		alpha *= mix3(c[0].color.A, c[1].color.A, c[2].color.A, u, v)
		if texel, ok := w.lookUp(m.Base, c, u, v, false, 0); ok {
			alpha *= texel[3]
		}
	}
	if m.Mode == scene.Mask {
		return alpha < m.Cutoff
	}
	return alpha < 1 && chance(r, triangle) >= alpha
}

// letsThrough returns the share of light that a surface lets through straight, for shadows; and whether seen through it
// things would be bent or blurred.
func (in *instance) letsThrough(triangle int32, u, v float64, r *ray) (share geom.Vec, bent bool) {
	t := &in.solid.triangles[triangle]
	if t.material < 0 {
		return geom.Vec{}, false
	}
	w := in.world
	m := &w.materials[t.material]
	if m.Transmission == 0 || w.roles != nil && w.roles[in.nodeOf(t)].Clay {
		return geom.Vec{}, false
	}
	tint := m.BaseColor
	if len(in.solid.corners) > 0 {
		if t, ok := w.lookUp(m.Base, in.solid.corners[3*triangle:][:3], u, v, true, 0); ok {
			tint = tint.Mul(geom.Vec{X: t[0], Y: t[1], Z: t[2]})
		}
	}
	ior := m.IOR
	if ior == 0 {
		ior = 1.5
	}
	f0 := (ior - 1) / (ior + 1)
	f0 *= f0
	c := in.solid.cornersAt(triangle, r.time)
	flat := edge(c[0], c[1]).Cross(edge(c[0], c[2]))
	cos := math.Abs(flat.Dot(r.direction)) / max(1e-30, flat.Length()*r.direction.Length())
	scale, bias := reflected(cos, max(leastAlpha, m.Roughness*m.Roughness))
	mirrored := (f0*scale + bias) * (1 + f0*(1/(scale+bias)-1))
	return tint.Scale(
			(1 - mirrored) * m.Transmission * (1 - m.Metallic),
		), m.Thickness > 0 ||
			m.Roughness*m.Roughness >= polished
}

// chance hashes a number from 0 to 1.
func chance(r *ray, triangle int32) float64 {
	h := uint64(triangle)*0x9e3779b97f4a7c15 + 1
	for _, v := range [6]float64{r.origin.X, r.origin.Y, r.origin.Z, r.direction.X, r.direction.Y, r.direction.Z} {
		h ^= math.Float64bits(v)
		h *= 0xbf58476d1ce4e5b9
		h ^= h >> 31
	}
	return float64(h>>11) / (1 << 53)
}

// meanGlow returns a material's emission, of a textured one the mean of its picture.
func (w *World) meanGlow(m *scene.Material) geom.Vec {
	if m.Glow == nil {
		return m.Emission
	}
	if mean, ok := w.model.means[m.Glow.Texture]; ok {
		return m.Emission.Mul(mean)
	}
	return m.Emission
}

// meanLight returns the mean linear light of a texture that is there.
func meanLight(s *scene.Scene, texture int) (mean geom.Vec, ok bool) {
	t := s.Textures[texture]
	if t.Image == scene.None || s.Images[t.Image].Pixels == nil {
		return mean, false
	}
	pix := s.Images[t.Image].Pixels.Pix
	for i := 0; i < len(pix); i += 4 {
		mean = mean.Add(geom.Vec{X: decoded[pix[i]], Y: decoded[pix[i+1]], Z: decoded[pix[i+2]]})
	}
	return mean.Scale(4 / float64(len(pix))), true
}
