package pixel

// Straighten divides premultiplied colour by alpha, in place: R, G and B by A. Where nothing is covered colour becomes
// 0.
func (img *Image) Straighten() {
	img.byAlpha(func(v, a float32) float32 {
		if a > 0 {
			return v / a
		}
		return 0
	})
}

// Premultiply multiplies straight colour by alpha, in place.
func (img *Image) Premultiply() {
	img.byAlpha(func(v, a float32) float32 { return v * a })
}

func (img *Image) byAlpha(change func(v, a float32) float32) {
	alpha := img.Plane("A")
	if alpha == nil {
		return
	}
	for _, name := range []string{"R", "G", "B"} {
		if p := img.Plane(name); p != nil {
			for i, a := range alpha.Data {
				p.Data[i] = change(p.Data[i], a)
			}
		}
	}
}
