package house

import (
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/delivery"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/sprite"
)

// findPivots works out where the pivot of each picture lies of which sprites are made: what its views stand round, or
// the scene's origin. Where the scene cannot be read, pivots stay unknown.
func (h *House) findPivots(p production.Production, d *delivery.Delivery, all []delivery.Rendering) {
	for _, part := range d.Parts {
		i := slices.IndexFunc(all, func(r delivery.Rendering) bool { return r.ID == part.Rendering })
		if part.Pictures == nil || i < 0 {
			continue
		}
		r := all[i]
		s, err := h.Assets.Scene(r.Plan.Scene)
		if err != nil {
			continue
		}
		source, err := camera.SourceOf(s, r.Spec.Camera)
		if err != nil {
			continue
		}
		pivot := geom.Vec{}
		if d.Recipe.Sprites.Pivot == sprite.Subject {
			pivot = subjectOf(p, r.Spec.View)
		}
		spec := r.Spec
		for n := range part.Pictures.Files {
			f := &part.Pictures.Files[n]
			pose := source.Pose(s.At(r.Plan.Rate.Seconds(f.Frame, r.Plan.FirstFrame)))
			view := spec.Setup.At(float64(f.Frame)).Of(pose, source.Optics)
			window := view.Window(spec.Fit, spec.Size, spec.PixelAspect)
			projection := view.Projection(window, spec.Size)
			x, y, ahead := projection.Pixel(pivot)
			_, above, also := projection.Pixel(pivot.Add(view.Pose.Y.Unit().Scale(0.01)))
			if !ahead || !also {
				continue
			}
			across := float64(part.Pictures.Size.Width) / float64(spec.Size.Width)
			up := float64(part.Pictures.Size.Height) / float64(spec.Size.Height)
			f.Pivot = &delivery.Pivot{X: x * across, Y: y * up, PerMetre: (y - above) * up / 0.01}
		}
	}
}

// subjectOf returns what a view of a ring stands round; the origin for any other view.
func subjectOf(p production.Production, view string) geom.Vec {
	v, _ := p.FindView(view)
	if r, ok := p.FindRig(v.Rig); ok && r.Kind == camera.Ring {
		return r.Subject
	}
	return geom.Vec{}
}
