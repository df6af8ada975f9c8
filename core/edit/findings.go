package edit

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"

	"reelhouse/core/frame"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// WaiveFinding waives what a rule finds, for a reason, until a batch is sent.
type WaiveFinding struct {
	Rule   string `json:"rule" role:"of"`
	Reason string `json:"reason" role:"value"`
}

// MostReason is the longest reason for waiving a finding, in bytes.
const MostReason = 500

func (WaiveFinding) Name() string    { return "finding.waive" }
func (c WaiveFinding) Part() string  { return "batch" }
func (c WaiveFinding) words() string { return "waive " + c.Rule + ": " + c.Reason }

func (c WaiveFinding) apply(p *production.Production, _ Known) error {
	switch {
	case c.Rule == "":
		return fmt.Errorf("say which rule")
	case c.Reason == "":
		return fmt.Errorf("write why it is waived; the reason is kept with the batch")
	case len(c.Reason) > MostReason:
		return fmt.Errorf("the reason is longer than %d letters", MostReason)
	}
	unwaive(p, c.Rule)
	p.Waivers = append(p.Waivers, production.Waiver{Rule: c.Rule, Reason: c.Reason})
	return nil
}

func unwaive(p *production.Production, rule string) {
	p.Waivers = slices.DeleteFunc(p.Waivers, func(w production.Waiver) bool { return w.Rule == rule })
}

// RestoreFinding lets a rule count again.
type RestoreFinding struct {
	Rule string `json:"rule" role:"of"`
}

func (RestoreFinding) Name() string    { return "finding.restore" }
func (c RestoreFinding) Part() string  { return "batch" }
func (c RestoreFinding) words() string { return "restore " + c.Rule }

func (c RestoreFinding) apply(p *production.Production, _ Known) error {
	unwaive(p, c.Rule)
	return nil
}

// ClearWaivers removes what was waived for a batch that was sent.
type ClearWaivers struct {
	Batch int64 `json:"batch"`
}

func (ClearWaivers) Name() string    { return "finding.clear" }
func (ClearWaivers) Part() string    { return "batch" }
func (c ClearWaivers) words() string { return fmt.Sprintf("batch %d sent", c.Batch) }

func (ClearWaivers) apply(p *production.Production, _ Known) error {
	p.Waivers = nil
	return nil
}

// PadFrames gives every name pattern enough digits for the frames that are rendered.
type PadFrames struct{}

func (PadFrames) Name() string { return "names.pad" }
func (PadFrames) Part() string { return "names" }

var frameField = regexp.MustCompile(`\(frame(:\d+)?\)`)

func (PadFrames) apply(p *production.Production, _ Known) error {
	digits := 1
	width := func(n int) int { return len(strconv.Itoa(max(-n, n))) }
	for _, s := range p.Shots {
		if frames := p.RenderedOf(s); !frames.Empty() {
			digits = max(digits, width(frames.First()), width(frames.Last()))
		}
	}
	padded := func(pattern string) string {
		return frameField.ReplaceAllString(pattern, fmt.Sprintf("(frame:%d)", digits))
	}
	p.Names.Pattern = padded(p.Names.Pattern)
	for i := range p.Outputs {
		p.Outputs[i].Pattern = padded(p.Outputs[i].Pattern)
	}
	return nil
}

// WholePicture renders all of every picture.
type WholePicture struct{}

func (WholePicture) Name() string  { return "region.clear" }
func (WholePicture) Part() string  { return "production" }
func (WholePicture) words() string { return "render whole pictures" }

func (WholePicture) apply(p *production.Production, _ Known) error {
	p.Region = raster.Part{}
	return nil
}

// OneQuality renders every shot in the quality of the batch.
type OneQuality struct{}

func (OneQuality) Name() string  { return "shot.one-quality" }
func (OneQuality) Part() string  { return "shots" }
func (OneQuality) words() string { return "all shots in the quality of the batch" }

func (OneQuality) apply(p *production.Production, _ Known) error {
	for i := range p.Shots {
		p.Shots[i].Quality = ""
	}
	return nil
}

// EveryFrame renders every frame of every shot that is in the batch.
type EveryFrame struct{}

func (EveryFrame) Name() string  { return "shot.every-frame" }
func (EveryFrame) Part() string  { return "shots" }
func (EveryFrame) words() string { return "every frame of every shot" }

func (EveryFrame) apply(p *production.Production, _ Known) error {
	for i := range p.Shots {
		s := &p.Shots[i]
		s.Step = 0
		if runs := s.Frames.Runs(); len(runs) == 1 && s.InBatch {
			s.Frames = frame.Of(runs[0].First, runs[0].Last)
		}
	}
	return nil
}

// TilesByNeed leaves tiles to sizes and memory everywhere.
type TilesByNeed struct{}

func (TilesByNeed) Name() string  { return "tiles.clear" }
func (TilesByNeed) Part() string  { return "production" }
func (TilesByNeed) words() string { return "tiles by need" }

func (TilesByNeed) apply(p *production.Production, _ Known) error {
	for i := range p.Shots {
		p.Shots[i].Tiles = nil
	}
	for i := range p.Qualities {
		p.Qualities[i].Tiles = raster.Tiling{}
	}
	return nil
}

// FarBackground puts the background's depth behind everything of the scene, wherever it is nearer.
type FarBackground struct{}

func (FarBackground) Name() string                        { return "depth.far-background" }
func (FarBackground) Part() string                        { return "depth" }
func (FarBackground) words() string                       { return "background depth behind the scene" }
func (FarBackground) needs(p production.Production) Needs { return Needs{Reach: true} }

func (FarBackground) apply(p *production.Production, k Known) error {
	if k.Reach <= 0 {
		return fmt.Errorf("how deep the scene is cannot be known")
	}
	behind := func(d *pass.DepthSettings) { d.Background = max(d.Background, k.Reach) }
	for i := range p.PassLists {
		behind(&p.PassLists[i].Depth)
	}
	for i := range p.Shots {
		if own := p.Shots[i].Depth; own != nil {
			fresh := *own
			behind(&fresh)
			p.Shots[i].Depth = &fresh
		}
	}
	return nil
}
