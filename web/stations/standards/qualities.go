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

// A qualityRow is a quality, with what each size becomes in it.
type qualityRow struct {
	production.Quality
	Sizes        []reducedSize
	Title        kit.Field
	ScaleField   kit.Field
	SamplesField kit.Field
	Filtering    kit.Field
	Final        kit.Field
	PerPixel     string // samples, from and to
	EffortFields []kit.Field
	Remove       kit.Action
	Wrong        string
}

// A reducedSize is what a size becomes in a quality.
type reducedSize struct {
	Code string
	Size raster.Size
	True string // the scale that rounding leaves
}

// effortHeads are the heads of the columns of what a quality spends on a picture.
func effortHeads() []string {
	return []string{
		"Noise threshold, %", "Least samples", "Bounce limit: diffuse", "specular", "transmitted",
		"Indirect light limit", "Time limit, s", "Tiles", "Memory per tile, GB", "Filter applied",
	}
}

// qualities fills in the qualities.
func (page *standardsPage) qualities(v *kit.View) {
	page.Effort = effortHeads()
	filters := kit.Options(pixel.Filters(), pixel.Filter.Name)
	for _, q := range v.Production.Qualities {
		part := v.Part("quality", q.Code)
		page.Qualities = append(page.Qualities, qualityRow{
			Quality:      q,
			Sizes:        reduce(q, v.Production.Sizes),
			Title:        part.Field("name", "Name", q.Name),
			ScaleField:   part.Field("scale", "Scale, such as 25 % or 1/4", q.Scale).Number(7),
			SamplesField: part.Field("samples", "Samples per pixel, n × n", q.Samples).Number(3),
			Filtering:    part.Field("filter", "Filter", q.Filter).Among(filters),
			Final:        part.Tick("final", "final", q.Deliverable),
			PerPixel:     perPixel(q),
			EffortFields: effortFields(part, q),
			Remove:       part.Action("remove", "Remove", "Remove this quality"),
			Wrong:        part.Wrong("remove"),
		})
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

// effortFields are what a quality spends on a picture, in the order of effortHeads.
func effortFields(part kit.Part, q production.Quality) []kit.Field {
	e, bounces := q.Effort, q.Effort.Bounces.OrUsual()
	spread := "placed"
	if e.Splat {
		spread = "spread"
	}
	return []kit.Field{
		part.Field("noise", "Noise threshold, in percent of a pixel's brightness", kit.Percent(e.Noise)).
			Number(4).Or("none"),
		part.Field("leastSamples", "Least samples per pixel, n × n", kit.Some(float64(e.Least))).
			Number(3).Or(sampling.UsualLeast),
		part.Field("diffuse", "Bounce limit, diffuse", bounces.Diffuse).Number(3),
		part.Field("specular", "Bounce limit, specular", bounces.Glossy).Number(3),
		part.Field("transmitted", "Bounce limit, transmitted", bounces.Through).Number(3),
		part.Field("indirectLimit", "Indirect light limit", kit.Some(e.Clamp)).Number(4).Or("none"),
		part.Field("timeLimit", "Time limit of a frame, in seconds", kit.Some(e.Seconds)).Number(5).Or("none"),
		part.Field("tiles", "Tiles of a frame, such as 3 x 2, or a number of bands", q.Tiles.String()).
			Number(6).Or("by need"),
		part.Field("memory", "Memory per tile at most, beside the scene, in GB", kit.Some(q.Memory)).
			Number(4).Or(production.UsualMemory),
		part.Field("spread", "Filter applied", spread).Among([]kit.Option{
			{Value: "placed", Text: "by placing samples"}, {Value: "spread", Text: "by weighting neighbours"},
		}),
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
