package passes

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/pass"
	"reelhouse/core/scene"
	"reelhouse/preview"
	"reelhouse/web/kit"
)

// Limits of measuring.
const (
	mostMeasured = 24 // frames of a shot
	depthParts   = 48
)

// measuredDepths is what the depths of a shot are.
type measuredDepths struct {
	Code, Shot       string
	Frames, Of       int
	Near, Far        float64 // metres
	Sky              float64 // share of the picture
	Bars             []bar
	ProposedNear     float64
	ProposedFar      float64
	Warnings         []string
	Width, High, Bar float64
	Take             []kit.Action // the proposed range, for the list and for the shot
}

type bar struct{ X, Height float64 }

// measureDepth answers with how near and far a shot's surfaces lie over its whole range.
func (a *page) measureDepth(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	shot, ok := p.FindShot(c.QueryParam("shot"))
	resolved := p.ResolvedShot(shot)
	seen, shows := resolved.Seen("")
	if !ok || !shows || shot.Frames.Empty() {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such shot, or it has no view or no frames.")
	}
	if seen.Look == nil {
		return echo.NewHTTPError(http.StatusNotFound, "The look of that shot does not exist.")
	}
	rendered := resolved.Rendered()
	var frames []int
	for i := range min(mostMeasured, rendered.Count()) {
		n := i
		if rendered.Count() > mostMeasured {
			n = i * (rendered.Count() - 1) / (mostMeasured - 1)
		}
		frames = append(frames, rendered.At(n))
	}
	out := measuredDepths{
		Code:   p.Code,
		Shot:   shot.Code,
		Frames: len(frames),
		Of:     rendered.Count(),
		Width:  10 * depthParts,
		High:   100,
	}
	first := preview.SmallPicture(p.Production, *seen.View, *seen.Look, kit.UsualSize, frames[0], kit.PreviewEdge)
	measured, err := a.Previews.Depths(c.Request().Context(), first, frames)
	if err != nil {
		return err
	}
	out.Near, out.Far = measured.Range()
	out.Sky = float64(measured.Sky) / float64(max(1, measured.Sky+len(measured.Met)))
	if len(measured.Met) > 0 {
		out.ProposedNear, out.ProposedFar = pass.Proposed(out.Near, out.Far)
		label := fmt.Sprintf("Use %s to %s m", kit.Number(out.ProposedNear), kit.Number(out.ProposedFar))
		v := &kit.View{Production: p}
		take := func(id, label, command, of string) {
			out.Take = append(out.Take, v.Do(id, label, "", command).Telling("of", of).
				Setting("kind", edit.DepthNormalised, "near", kit.Number(out.ProposedNear), "far",
					kit.Number(out.ProposedFar)))
		}
		if resolved.List != nil && shot.Depth == nil {
			take("take-range", label+" in the pass list "+resolved.List.Code, "depth.set", resolved.List.Code)
		}
		take("take-range-of-shot", label+" in shot "+shot.Code+" alone", "shot-depth.set", shot.Code)
		counts := measured.Histogram(out.Near, out.Far, depthParts)
		top := float64(slices.Max(counts))
		for i, n := range counts {
			out.Bars = append(out.Bars, bar{10 * float64(i), out.High * float64(n) / top})
		}
	}
	out.Warnings = depthWarnings(resolved.Depth(), out)
	return c.Render(http.StatusOK, "passes/depths", out)
}

// depthWarnings says what of a shot's depth does not fit what was measured.
func depthWarnings(depth pass.DepthSettings, m measuredDepths) []string {
	var texts []string
	if depth.Background < m.Far {
		texts = append(
			texts,
			fmt.Sprintf(
				"The background counts as %s deep, nearer than the farthest surface, %s away.",
				scene.Length(depth.Background), scene.Length(m.Far),
			),
		)
	}
	if d := depth.Style; d.Picture && !d.Open && (d.Near > m.Near || d.Far < m.Far) {
		texts = append(
			texts,
			fmt.Sprintf(
				"The picture of depth from %s to %s clips some of the surfaces, which lie from %s to %s.",
				scene.Length(d.Near), scene.Length(d.Far), scene.Length(m.Near), scene.Length(m.Far),
			),
		)
	}
	return texts
}
