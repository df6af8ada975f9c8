package web

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
)

func (e edit) production(p *production.Production) (err error) {
	switch e.field {
	case "title":
		p.Title = e.value
	case "version":
		p.Version, err = e.number()
	case "firstFrame":
		p.FirstFrame, err = e.number()
	case "firstTimecode":
		var t frame.Timecode
		if t, err = p.Clock().ParseTimecode(e.value); err == nil {
			p.FirstTimecode = t.String()
		}
	case "handles":
		p.Handles, err = e.number()
	case "rate":
		return e.rate(p)
	case "quality":
		p.Quality = e.value
	default:
		return errChoice
	}
	return err
}

// rate sets one of the offered counts, or a rate of one's own. The first frame's timecode is written anew
// where the count drops other numbers.
func (e edit) rate(p *production.Production) error {
	var count frame.Count
	if i := slices.IndexFunc(frame.Counts(), func(c frame.Count) bool { return c.String() == e.value }); i >= 0 {
		count = frame.Counts()[i]
	} else {
		rate, err := frame.ParseRate(e.value)
		if err != nil {
			return err
		}
		count.Rate = rate
	}
	start := p.Clock().Start
	p.Rate, p.DropFrame = count.Rate, count.Drop
	start.Drop, start.Frames = count.Drop, min(start.Frames, count.Nominal()-1)
	p.FirstTimecode = count.Timecode(count.Number(start)).String()
	return nil
}

func (e edit) size(p *production.Production) error {
	taken := func(c string) bool { _, ok := p.FindSize(c); return ok }
	if e.field == "add" {
		if s, ok := raster.Published(e.value); ok && !taken(s.Code) {
			p.Sizes = append(p.Sizes, s)
			return nil
		}
		p.Sizes = append(p.Sizes, raster.Named{Code: fresh("size", len(p.Sizes), taken), Name: "New size", Size: raster.Size{Width: 1920, Height: 1080}})
		return nil
	}
	i, err := at(e, p.Sizes, func(s raster.Named) string { return s.Code })
	if err != nil {
		return err
	}
	s := &p.Sizes[i]
	if q, locked := strings.CutPrefix(e.field, "lock-"); locked {
		*s = s.Lock(raster.Quantity(q), e.ticked())
		return nil
	}
	switch e.field {
	case "code":
		renamed(p, func(s *production.Shot) []string { return s.Sizes }, p.Usual.Sizes, s.Code, e.value)
		for _, shot := range p.Shots {
			for k := range shot.Without {
				if shot.Without[k].Size == s.Code {
					shot.Without[k].Size = e.value
				}
			}
		}
		s.Code = e.value
	case "name":
		s.Name = e.value
	case "width", "height", "ratio", "printWidth", "printHeight", "pixelsPerInch":
		return e.quantity(s)
	case "pixelAspect":
		s.PixelAspect, err = e.decimal("")
		s.Source = ""
	case "multipleOf":
		if s.MultipleOf, err = e.number(); err == nil && s.MultipleOf > 0 && s.MultipleOf <= 64 && s.Size != s.Size.Multiple(s.MultipleOf) {
			s.Size, s.Source = s.Size.Multiple(s.MultipleOf), ""
		}
	case "fitting":
		s.Fit.Fitting = raster.Fitting(e.value)
	case "anchorX":
		s.Fit.AnchorX, err = e.decimal("")
	case "anchorY":
		s.Fit.AnchorY, err = e.decimal("")
	case "turn":
		s.Width, s.Height = s.Height, s.Width
		s.AimedRatio, s.Source = 0, ""
	case "up", "down":
		j := i - 1
		if e.field == "down" {
			j = i + 1
		}
		if j >= 0 && j < len(p.Sizes) {
			p.Sizes[i], p.Sizes[j] = p.Sizes[j], p.Sizes[i]
		}
	case "remove":
		if err := unused(p, "size", func(shot production.Shot) bool { return slices.Contains(p.SizesOf(shot), s.Code) }); err != nil {
			return err
		}
		p.Sizes = slices.Delete(p.Sizes, i, i+1)
	default:
		return errChoice
	}
	return err
}

// quantity sets one of the numbers of a size that hang together.
func (e edit) quantity(s *raster.Named) error {
	var value float64
	var err error
	switch q := raster.Quantity(e.field); q {
	case raster.Ratio:
		value, err = raster.ParseRatio(e.value)
	case raster.PrintWidth, raster.PrintHeight:
		value, err = raster.ParseLength(e.value)
	case raster.PixelsPerInch:
		if value, err = e.decimal("ppi"); err == nil && value == 0 && !s.Locked(q) {
			s.PixelsPerInch = 0
			return nil
		}
	default:
		var n int
		n, err = e.number()
		value = float64(n)
	}
	if err != nil {
		return err
	}
	changed, err := s.With(raster.Quantity(e.field), value)
	if err == nil {
		*s = changed
	}
	return err
}

func (e edit) quality(p *production.Production) error {
	taken := func(c string) bool { _, ok := p.FindQuality(c); return ok }
	if e.field == "add" {
		p.Qualities = append(p.Qualities, production.Quality{Code: fresh("quality", len(p.Qualities), taken), Name: "New quality", Scale: raster.Reduction{Percent: 50}, Samples: 3, Filter: pixel.Gaussian})
		return nil
	}
	i, err := at(e, p.Qualities, func(q production.Quality) string { return q.Code })
	if err != nil {
		return err
	}
	q := &p.Qualities[i]
	switch e.field {
	case "name":
		q.Name = e.value
	case "scale":
		q.Scale, err = raster.ParseReduction(e.value)
	case "samples":
		q.Samples, err = e.number()
	case "filter":
		q.Filter = pixel.Filter(e.value)
	case "noise", "least", "diffuse", "glossy", "through", "clamp", "seconds", "splat":
		return e.effort(&q.Effort)
	case "tiles":
		q.Tiles, err = raster.ParseTiling(e.value)
	case "memory":
		if q.Memory = 0; e.value != "" {
			q.Memory, err = e.decimal("GB")
		}
	case "full":
		q.Full = e.ticked()
	case "remove":
		if p.Quality == q.Code {
			return fmt.Errorf("the next batch is sent in this quality; choose another on the batch sheet first")
		}
		p.Qualities = slices.Delete(p.Qualities, i, i+1)
	default:
		return errChoice
	}
	return err
}

// effort applies an edit of what a quality asks for beside samples. Empty fields stand for what is usual.
func (e edit) effort(f *sampling.Effort) (err error) {
	if e.value == "" {
		e.value = "0"
	}
	bounces := f.Bounces.OrUsual()
	switch e.field {
	case "noise":
		if f.Noise, err = e.decimal("%"); err == nil {
			f.Noise /= 100
		}
	case "least":
		f.Least, err = e.number()
	case "diffuse":
		bounces.Diffuse, err = e.number()
	case "glossy":
		bounces.Glossy, err = e.number()
	case "through":
		bounces.Through, err = e.number()
	case "clamp":
		f.Clamp, err = e.decimal("")
	case "seconds":
		f.Seconds, err = e.decimal("s")
	case "splat":
		f.Splat = e.value == "spread"
	}
	if f.Bounces = bounces; bounces == sampling.Usual {
		f.Bounces = sampling.Bounces{}
	}
	if err != nil {
		return err
	}
	return f.Check()
}

func (e edit) picture(p *production.Production) error {
	switch e.field {
	case "display":
		p.Picture.Display = pixel.Curve(e.value)
	case "alpha":
		p.Picture.Alpha = output.Alpha(e.value)
	case "background":
		p.Picture.Background.Kind = look.BackgroundKind(e.value)
		if p.Picture.Background.Colour == "" {
			p.Picture.Background.Colour = "#808080"
		}
	case "colour":
		p.Picture.Background.Colour = strings.ToLower(e.value)
	default:
		return errChoice
	}
	return nil
}

func (e edit) floor(p *production.Production) (err error) {
	switch e.field {
	case "width":
		p.Floor.Width, err = e.number()
	case "height":
		p.Floor.Height, err = e.number()
	case "bits":
		p.Floor.Bits, err = e.number()
	case "lossless":
		p.Floor.Lossless = e.ticked()
	default:
		return errChoice
	}
	return err
}
