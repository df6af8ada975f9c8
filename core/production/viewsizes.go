package production

import (
	"cmp"
	"slices"

	"reelhouse/core/raster"
)

// A ViewSize is what a view shows otherwise in one size. The zero value of a field changes nothing.
type ViewSize struct {
	Size string `json:"size"`
	// Camera is another camera of the scene, with the place and the lens that it has there.
	Camera string `json:"camera,omitempty"`
	// The shifts move the lens against the film back, in millimetres, instead of the view's own.
	ShiftAcross *float64 `json:"shiftAcross,omitempty"`
	ShiftUp     *float64 `json:"shiftUp,omitempty"`
	// Fit stands in for the size's own.
	Fit *raster.Fit `json:"fit,omitempty"`
}

// Changes reports whether it changes anything.
func (s ViewSize) Changes() bool {
	return s.Camera != "" || s.ShiftAcross != nil || s.ShiftUp != nil || s.Fit != nil
}

// For returns what the view shows otherwise in a size.
func (v View) For(size string) ViewSize {
	if i := slices.IndexFunc(v.Sizes, func(s ViewSize) bool { return s.Size == size }); i >= 0 {
		return v.Sizes[i]
	}
	return ViewSize{Size: size}
}

// SetFor puts what the view shows otherwise in a size in the place of what was there.
func (v *View) SetFor(now ViewSize) {
	v.Sizes = slices.DeleteFunc(slices.Clone(v.Sizes), func(s ViewSize) bool { return s.Size == now.Size })
	if now.Changes() {
		v.Sizes = append(v.Sizes, now)
		slices.SortFunc(v.Sizes, func(a, b ViewSize) int { return cmp.Compare(a.Size, b.Size) })
	}
}

// In returns the view as it is in a size, and how that is filled. Exposure and motion blur stay the view's; another
// camera has its own place and lens.
func (v View) In(size raster.Named) (View, raster.Fit) {
	own, fit := v.For(size.Code), size.Fit
	v.Sizes = nil
	if own.Camera != "" && own.Camera != v.Camera {
		v.Camera = own.Camera
		v.Setup = v.Setup.OfAnotherCamera()
	}
	if own.ShiftAcross != nil {
		v.Setup.ShiftAcross = *own.ShiftAcross
	}
	if own.ShiftUp != nil {
		v.Setup.ShiftUp = *own.ShiftUp
	}
	if own.Fit != nil {
		fit = *own.Fit
	}
	return v, fit
}

// Cameras returns the cameras of the scene that the view looks through, each once.
func (v View) Cameras() []string {
	names := []string{v.Camera}
	for _, s := range v.Sizes {
		if s.Camera != "" && !slices.Contains(names, s.Camera) {
			names = append(names, s.Camera)
		}
	}
	return names
}

// sizeProblems says what is wrong with what a view shows otherwise in its sizes.
func (p *Production) sizeProblems(ps *problems, v View) {
	for _, own := range v.Sizes {
		add := func(format string, args ...any) { ps.add("view "+v.Code, "sizes", format, args...) }
		size, ok := p.FindSize(own.Size)
		if !ok {
			add("it has a framing for the size %q, which does not exist; remove it", own.Size)
			continue
		}
		shown, fit := v.In(size)
		if err := shown.Setup.Check(); err != nil {
			add("in %s: %s", own.Size, err)
		}
		if err := fit.Check(); err != nil {
			add("in %s: %s", own.Size, err)
		}
	}
}
