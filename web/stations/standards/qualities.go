package standards

import (
	"fmt"
	"math"

	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/web/kit"
)

// A qualityCard is a quality with what is edited of it, in groups.
type qualityCard struct {
	production.Quality
	Sizes  []reducedSize
	Title  kit.Field
	Final  kit.Field
	Groups []kit.Group
	Pixel  string // samples of a pixel, from and to
	Remove kit.Action
	Wrong  string
}

// A reducedSize is what a size becomes in a quality.
type reducedSize struct {
	Code string
	Size raster.Size
	True string // the scale that rounding leaves
}

// qualities fills in the qualities, with what differs between them marked.
func (page *standardsPage) qualities(v *kit.View) {
	for _, q := range v.Production.Qualities {
		part := v.Part("quality", q.Code)
		page.Qualities = append(page.Qualities, qualityCard{
			Quality: q,
			Sizes:   reduce(q, v.Production.Sizes),
			Title:   part.Field("name", "Name", q.Name),
			Final:   part.Tick("final", "final: good enough to deliver", q.Deliverable),
			Groups:  qualityGroups(part, q),
			Pixel:   perPixel(q),
			Remove:  part.Action("remove", "Remove", "Remove this quality"),
			Wrong:   part.Wrong("remove"),
		})
	}
	for g := range page.Qualities[0].Groups {
		for f := range page.Qualities[0].Groups[g].Fields {
			markDifferences(page.Qualities, g, f)
		}
	}
}

// markDifferences marks a field that is not the same in all qualities.
func markDifferences(all []qualityCard, group, field int) {
	first := all[0].Groups[group].Fields[field].Value
	for _, q := range all[1:] {
		if q.Groups[group].Fields[field].Value == first {
			continue
		}
		for i := range all {
			all[i].Groups[group].Fields[field].Class += " differs"
		}
		return
	}
}

// perPixel says how many samples a pixel has.
func perPixel(q production.Quality) string {
	most := q.Samples * q.Samples
	if q.Effort.Noise == 0 {
		return kit.Count(most)
	}
	least := q.Effort.Least
	if least == 0 {
		least = sampling.UsualLeast
	}
	return kit.Count(least*least) + " to " + kit.Count(most)
}

// qualityGroups are what is edited of a quality, by subject.
func qualityGroups(part kit.Part, q production.Quality) []kit.Group {
	e, bounces := q.Effort, q.Effort.Bounces.OrUsual()
	spread := "placed"
	if e.Splat {
		spread = "spread"
	}
	filters := kit.Options(pixel.Filters(), pixel.Filter.Name)
	return []kit.Group{
		{Name: "Size", Fields: []kit.Field{part.Field("scale", "Scale", q.Scale).Number(7)}},
		{Name: "Samples", Fields: []kit.Field{
			part.Field("samples", "Samples, n × n", q.Samples).Number(3),
			part.Field("noise", "Noise threshold, %", kit.Percent(e.Noise)).Number(4).Or("none"),
			part.Field("leastSamples", "Least, n × n", kit.Some(float64(e.Least))).Number(3).Or(sampling.UsualLeast),
			part.Field("filter", "Filter", q.Filter).Among(filters),
			part.Field("spread", "Filter applied", spread).Among([]kit.Option{
				{Value: "placed", Text: "by placing samples"}, {Value: "spread", Text: "by weighting neighbours"},
			}),
		}},
		{Name: "Bounces", Fields: []kit.Field{
			part.Field("diffuse", "Diffuse", bounces.Diffuse).Number(3),
			part.Field("specular", "Specular", bounces.Glossy).Number(3),
			part.Field("transmitted", "Transmitted", bounces.Through).Number(3),
		}},
		{Name: "Limits", Fields: []kit.Field{
			part.Field("indirectLimit", "Indirect light", kit.Some(e.Clamp)).Number(4).Or("none"),
			part.Field("timeLimit", "Time a frame, s", kit.Some(e.Seconds)).Number(5).Or("none"),
		}},
		{Name: "Tiles", Fields: []kit.Field{
			part.Field("tiles", "Columns × rows, or bands", q.Tiles.String()).Number(6).Or("by need"),
			part.Field("memory", "Memory a tile, GB", kit.Some(q.Memory)).Number(4).Or(production.UsualMemory),
		}},
	}
}

// reduce returns what sizes become in a quality.
func reduce(q production.Quality, sizes []raster.Named) []reducedSize {
	var all []reducedSize
	for _, n := range sizes {
		of := n.Reduced(q.Scale)
		across := 100 * float64(of.Width) / float64(max(1, n.Width))
		up := 100 * float64(of.Height) / float64(max(1, n.Height))
		text := fmt.Sprintf("%.2f × %.2f %%", across, up)
		if math.Abs(across-up) < 0.005 {
			text = fmt.Sprintf("%.2f %%", across)
		}
		all = append(all, reducedSize{n.Code, of, text})
	}
	return all
}
