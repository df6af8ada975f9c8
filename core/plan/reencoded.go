package plan

import (
	"reelhouse/core/naming"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// Reencoded returns the files that an output of a production makes of the files of a sequence which was rendered: those
// of its passes that the files have, in the size and encoding of the output.
func (b Batch) Reencoded(p production.Production, s Sequence, from FileSequence, output string) []FileSequence {
	o, ok := p.FindOutput(output)
	if !ok {
		return nil
	}
	pattern, err := naming.Parse(p.PatternOf(o))
	if err != nil {
		return nil
	}
	size, ok := p.FindSize(s.SizeCode)
	if !ok {
		size = raster.Named{Size: s.FullSize}
	}
	s.Size, s.Version = from.Size, b.VersionOf(s)
	rendered := production.RenderedOutput{Output: &o, Encoding: p.EncodingOf(o), Pattern: pattern}
	return files(p, &rendered, size, s, b.QualityOf(s).Code, production.PassList{Passes: from.Passes})
}
