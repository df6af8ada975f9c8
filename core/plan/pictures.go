package plan

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/job"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// formatParameter is in which format a matte is written, as core/work names it.
const formatParameter = "format"

// MatteFormats are the formats in which mattes are written.
func MatteFormats() []output.Format { return []output.Format{output.EXR, output.PNG} }

// pictures returns the sequence of pictures that a follow-up makes of another sequence's. Its files have the names of
// that one's, with the kind in the place of the pass.
func (f FollowUp) pictures(b Batch, of Sequence) (Sequence, error) {
	s := of
	s.FollowUp, s.Taken, s.Tiles, s.Renderer, s.OtherFilter = &f, nil, raster.Tiling{}, "", nil
	s.Files, s.FrameSeconds, s.Least, s.Most, s.FrameBytes = nil, 0, 0, 0, 0
	if f.Grade != nil {
		frozen, err := f.Grade.Freeze(of.Readable(), b.LightGroups, f.Grade.FindMask)
		if err != nil {
			return s, &LackingError{fmt.Sprintf("%s: %s", of.Title(), err)}
		}
		f.Grade = &frozen
	}
	wanted := f.Needs()
	if missing := of.Lacks(wanted); len(missing) > 0 {
		return s, &LackingError{fmt.Sprintf("%s has no file of %s that it could be made from", of.Title(),
			joined(missing))}
	}
	if f.Matte != nil {
		s.Passes = []pass.Code{pass.MattePass(f.Matte.Code)}
		file := of.Files[of.FileOf(wanted[0])]
		format := output.Format(f.Parameters[formatParameter])
		if !slices.Contains(MatteFormats(), format) {
			return s, fmt.Errorf("a matte is written as %v, and not as %q", MatteFormats(), format)
		}
		file.Encoding = format.Usual()
		if file.Encoding.Alpha = output.NoAlpha; !file.Encoding.Floating() {
			file.Encoding.Curve = pixel.Linear // codes are shares
		}
		s.Files = append(s.Files, file)
	} else {
		s.Passes = []pass.Code{pass.Beauty}
		for _, file := range of.Files {
			if slices.Contains(file.Passes, pass.Beauty) {
				s.Files = append(s.Files, file)
			}
		}
	}
	for i := range s.Files {
		file := &s.Files[i]
		was := file.Path
		file.Passes, file.Label = s.Passes, f.Kind
		pattern, err := naming.Parse(file.Pattern)
		if err != nil {
			return s, err
		}
		fields := s.fields(b.Production, b.QualityOf(s).Code, b.Version, *file)
		file.Path = pattern.Bind(fields, b.Standards.Names).Labelled(s.names()).On(b.Volume)
		if file.Path.Frame(s.Frames.First()) == was.Frame(s.Frames.First()) {
			return s, fmt.Errorf(
				"the names of output %s do not say the pass, so that it would have the names of what it "+
					"is made from; put (pass) into its pattern, and send the shot again",
				file.Output,
			)
		}
	}
	return s, nil
}

// A LackingError says what of a sequence was not kept that a follow-up is made from.
type LackingError struct{ what string }

func (e *LackingError) Error() string { return e.what }

func joined(codes []pass.Code) string {
	var all []string
	for _, code := range codes {
		all = append(all, string(code))
	}
	return strings.Join(all, ", ")
}

// Made says what the pictures of a sequence are: "" for rendered ones, and otherwise one of Production.Makings.
func (s Sequence) Made() string {
	switch f := s.FollowUp; {
	case f != nil && f.Matte != nil:
		return production.MatteMade + f.Matte.Code
	case f != nil && f.Grade != nil:
		return production.GradeMade + f.Grade.Code
	}
	return ""
}

// Needs returns the passes that pictures are made from.
func (f FollowUp) Needs() []pass.Code {
	if f.Matte != nil {
		return []pass.Code{f.Matte.Layer}
	}
	return pass.Sorted(slices.Concat([]pass.Code{pass.Beauty}, f.Grade.Passes()))
}

// FileOf returns the place of the file of a sequence from which a pass is best read, -1 for none: it has the pixels
// that were rendered, and nothing was burnt in or sent through a viewing transform. Floating point is best.
func (s Sequence) FileOf(code pass.Code) int {
	best := -1
	described, err := pass.Find(code)
	if err != nil {
		return best
	}
	for i, f := range s.Files {
		switch {
		case !slices.Contains(f.Passes, code), f.Size != s.Size, f.Stamp.On, f.Encoding.Viewed(),
			described.IsCryptomatte() && f.Encoding.Format != output.EXR:
		case best < 0 || f.Encoding.Floating() && !s.Files[best].Encoding.Floating():
			best = i
		}
	}
	return best
}

// Lacks returns those of some passes that can be read from no file of the sequence.
func (s Sequence) Lacks(codes []pass.Code) []pass.Code {
	return slices.DeleteFunc(slices.Clone(codes), func(code pass.Code) bool { return s.FileOf(code) >= 0 })
}

// Readable returns the passes of the sequence that can be read from one of its files.
func (s Sequence) Readable() []pass.Code {
	return slices.DeleteFunc(slices.Clone(s.Passes), func(code pass.Code) bool { return s.FileOf(code) < 0 })
}

// ReadFor says in an order of pictures which passes are read of which input, of a frame of the sequence.
func (s Sequence) ReadFor(order *job.FollowUp, number int, passes []pass.Code) error {
	for _, code := range passes {
		at := s.FileOf(code)
		if at < 0 {
			return fmt.Errorf("no file of %s has %s", s.Title(), code)
		}
		name := s.Files[at].Path.Frame(number)
		i := slices.IndexFunc(order.Inputs, func(in job.Input) bool { return in.Name == name })
		if i < 0 {
			return fmt.Errorf("%s is not among what was recorded", name)
		}
		in := &order.Inputs[i]
		in.Passes, in.Read = s.Files[at].Passes, append(in.Read, code)
	}
	return nil
}
