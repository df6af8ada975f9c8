package trace

import (
	"reelhouse/core/geom"
	"reelhouse/core/pass"
)

// ofSurfaces are the passes that gather what surfaces are like, whatever the light.
var ofSurfaces = []pass.Code{pass.Albedo, pass.Emission, pass.Occlusion, pass.Shadow}

// surfaceSums are sums over the samples of a pixel, and the planes that they go into; nil where a pass is not wanted.
type surfaceSums struct {
	albedo, emission, occlusion, shadow [][]float32
	white, own                          geom.Vec
	open, shaded                        float64 // samples that are open to all sides, and in shadow
}

func (s *surfaceSums) want(code pass.Code, planes [][]float32) {
	switch code {
	case pass.Albedo:
		s.albedo = planes
	case pass.Emission:
		s.emission = planes
	case pass.Occlusion:
		s.occlusion = planes
	case pass.Shadow:
		s.shadow = planes
	}
}

// add adds one sample, which has met a surface.
func (s *surfaceSums) add(p *rendering, origin, direction geom.Vec, h *hit, random *sampler) {
	w := p.world
	surf := w.surface(origin, direction, h)
	s.white = s.white.Add(surf.material.BaseColor)
	if s.emission != nil {
		if surf.material.Unlit {
			s.own = s.own.Add(surf.material.BaseColor)
		} else {
			s.own = s.own.Add(surf.material.Emission)
		}
	}
	if s.occlusion != nil {
		radius := p.settings.OcclusionRadius
		if radius == 0 {
			radius = DefaultOcclusion
		}
		u, v := random.pair(dimOpen)
		to := byCosine(surf.normal, u, v)
		if above := surf.point.Add(surf.face.Scale(offset * (1 + surf.point.Length()*0.01))); to.Dot(surf.face) > 0 && !w.blocked(above, to, radius) {
			s.open++
		}
	}
	if s.shadow != nil {
		s.shaded += w.shadow(origin, direction, h, random)
	}
}

// store stores the means.
func (s *surfaceSums) store(at int, share, gain float64) {
	if s.albedo != nil {
		store(s.albedo, at, s.white.Scale(share))
	}
	if s.emission != nil {
		store(s.emission, at, s.own.Scale(share*gain))
	}
	if s.occlusion != nil {
		s.occlusion[0][at] = float32(s.open * share)
	}
	if s.shadow != nil {
		s.shadow[0][at] = float32(s.shaded * share)
	}
}
