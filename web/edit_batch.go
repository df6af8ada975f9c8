package web

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// batch applies an edit that is made on the batch sheet: what is rendered of every picture, findings that are set aside, and fixes of findings.
func (e edit) batch(p *production.Production) error {
	switch e.field {
	case "region":
		part, err := raster.ParsePart(e.value)
		p.Region = part
		return err
	case "waive":
		return e.waive(p)
	case "unwaive":
		p.Waivers = slices.DeleteFunc(p.Waivers, func(w production.Waiver) bool { return w.Rule == e.option })
	case "fix":
		return e.fix(p)
	default:
		return errChoice
	}
	return nil
}

// mostReason is the longest reason for setting a finding aside, in bytes.
const mostReason = 500

func (e edit) waive(p *production.Production) error {
	i := slices.IndexFunc(preflight.Rules(), func(r preflight.Rule) bool { return r.Name == e.option })
	if i < 0 || preflight.Rules()[i].Firm {
		return errChoice
	}
	reason := strings.TrimSpace(e.value)
	switch {
	case reason == "":
		return fmt.Errorf("write why it is set aside; the reason is kept with the batch")
	case len(reason) > mostReason:
		return fmt.Errorf("the reason is longer than %d letters", mostReason)
	}
	p.Waivers = slices.DeleteFunc(p.Waivers, func(w production.Waiver) bool { return w.Rule == e.option })
	p.Waivers = append(p.Waivers, production.Waiver{Rule: e.option, Reason: reason})
	return nil
}

// fix puts right what a finding is about. The fixes that need more than the production are not among them.
func (e edit) fix(p *production.Production) error {
	switch preflight.Fix(e.option) {
	case preflight.PadFrames:
		padFrames(p)
	case preflight.WholePicture:
		p.Region = raster.Part{}
	case preflight.FinalQuality:
		for i := range p.Shots {
			p.Shots[i].Quality = ""
		}
	case preflight.EveryFrame:
		for i := range p.Shots {
			s := &p.Shots[i]
			s.Step = 0
			if runs := s.Frames.Runs(); len(runs) == 1 && s.InBatch {
				s.Frames = frame.Of(runs[0].First, runs[0].Last)
			}
		}
	case preflight.TilesByNeed:
		for i := range p.Shots {
			p.Shots[i].Tiles = nil
		}
		for i := range p.Qualities {
			p.Qualities[i].Tiles = raster.Tiling{}
		}
	case preflight.FarEnough:
		if e.reach == nil {
			return errChoice
		}
		reach, err := e.reach(p)
		if err != nil {
			return err
		}
		p.DepthBackground = reach
	default:
		return errChoice
	}
	return nil
}
