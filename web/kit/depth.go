package kit

import (
	"reelhouse/core/edit"
	"reelhouse/core/pass"
)

// DepthFields returns what is edited of a part's depth and occlusion. What a depth in metres does not have is left
// out; a table that has a row for everything asks for all.
func DepthFields(part Part, d pass.DepthSettings) []Field {
	kind := edit.DepthMetres
	if d.Style.Picture {
		kind = edit.DepthNormalised
	}
	fields := []Field{part.Field("kind", "Depth holds", kind).Among([]Option{
		{Value: edit.DepthMetres, Text: "metres"},
		{Value: edit.DepthNormalised, Text: "0 to 1"},
	})}
	if d.Style.Picture {
		fields = append(fields,
			part.Field("near", "Near, m", Number(d.Style.Near)).Mono(5),
			part.Field("far", "Far, m", Number(d.Style.Far)).Mono(5),
			part.Tick("inverted", "inverted", d.Style.Inverted),
			part.Tick("clamped", "clipped", !d.Style.Open))
	}
	return append(fields,
		part.Tick("filtered", "filtered", d.Style.Filtered),
		part.Field("background", "Background depth, m", Number(d.Background)).Mono(5),
		part.Field("occlusionRadius", "Occlusion radius, m", Number(d.Radius())).Mono(5))
}
