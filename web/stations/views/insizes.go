package views

import (
	"strings"

	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/web/kit"
)

// inSizes are what a view shows otherwise in single sizes.
type inSizes struct {
	Holds string // in one line
	Open  bool
	Rows  []inSize
}

// An inSize is a view in one size, with what is edited of that.
type inSize struct {
	Size    raster.Named
	Picture kit.Thumb
	Camera  kit.Field
	Fit     kit.Field
	AnchorX kit.Field
	AnchorY kit.Field
	ShiftX  kit.Field
	ShiftY  kit.Field
	Reset   *kit.Action // nil where it shows what it shows in all others
	Wrong   string
}

// inSizes returns the view in every size of the production.
func (o *openView) inSizes(v *kit.View) inSizes {
	var out inSizes
	var own []string
	held := o.Setup.Locked
	for _, size := range v.Production.Sizes {
		row := o.inSize(v, size, held)
		out.Rows = append(out.Rows, row)
		if other := o.View.For(size.Code); other.Changes() {
			own = append(own, otherwise(other))
		}
		out.Open = out.Open || row.Wrong != "" || v.Query("sizes") != ""
	}
	if out.Holds = strings.Join(own, "; "); out.Holds == "" {
		out.Holds = "the same in all of them"
	}
	return out
}

// otherwise says in words what a view shows in a size.
func otherwise(s production.ViewSize) string {
	text := s.Size
	if s.Camera != "" {
		text += " uses " + s.Camera
	}
	if s.ShiftAcross != nil || s.ShiftUp != nil {
		text += ", lens shifted"
	}
	if s.Fit != nil {
		text += ", reframed"
	}
	return text
}

func (o *openView) inSize(v *kit.View, size raster.Named, held bool) inSize {
	own := o.View.For(size.Code)
	part := v.Part("view-size", o.Code).At(edit.SetViewSize{View: o.Code, Size: size.Code}.Part())
	field := func(name, label string, value any) kit.Field {
		f := part.Field(name, label+" in "+size.Code, value)
		f.ID, f.Edit, f.Locked = "in-"+size.Code+"-"+name, f.Edit.Setting("size", size.Code), held
		return f
	}
	number := func(value *float64) string {
		if value == nil {
			return ""
		}
		return kit.Number(*value)
	}
	cameras := []kit.Option{{Value: "", Text: "the view's own"}}
	for _, name := range o.Cameras {
		if name != o.View.Camera {
			cameras = append(cameras, kit.Option{Value: name, Text: name})
		}
	}
	fits := []kit.Option{{Value: "", Text: "as the size"}}
	fit, chosen := size.Fit, ""
	if own.Fit != nil {
		fit = *own.Fit
		chosen = string(fit.Fitting)
		if chosen == "" {
			chosen = string(raster.Crop)
		}
	}
	for _, f := range raster.Fittings() {
		fits = append(fits, kit.Option{Value: string(f), Text: kit.FittingName(f)})
	}
	width, height := 96, 54
	if size.Height > size.Width {
		width, height = 54, 96
	}
	row := inSize{
		Size: size,
		Picture: kit.Thumb{
			Address: v.Thumb(o.Code, size.Code, o.Frame), Alt: o.Name + " in " + size.Name, Aspect: size.Code,
			Width: width, Height: height, Word: "rendering",
		},
		Camera:  field("camera", "Camera", own.Camera).Among(cameras),
		Fit:     field("fit", "Fit", chosen).Among(fits),
		AnchorX: field("anchorX", "Anchor X", kit.Number(fit.AnchorX)).Number(4),
		AnchorY: field("anchorY", "Anchor Y", kit.Number(fit.AnchorY)).Number(4),
		ShiftX:  field("lensShiftX", "Lens shift X, mm,", number(own.ShiftAcross)).Number(5).Or("view"),
		ShiftY:  field("lensShiftY", "Lens shift Y, mm,", number(own.ShiftUp)).Number(5).Or("view"),
		Wrong:   part.Wrong(""),
	}
	if own.Changes() && !held {
		reset := part.Action("reset", "Reset", "As in all other sizes").Setting("size", size.Code)
		reset.ID = "in-" + size.Code + "-reset"
		row.Reset = &reset
	}
	return row
}
