package plan

import (
	"slices"

	"reelhouse/core/look"
	"reelhouse/core/pass"
)

// An Impact is what an edit changes of what would be rendered. The zero value is none.
type Impact struct {
	Shots         []string // codes of shots that come, go, or are rendered otherwise
	Paths         int      // files that will have a path that no file had
	Before, After Totals
}

// Any reports whether anything changes.
func (i Impact) Any() bool { return len(i.Shots) > 0 || i.Paths > 0 || i.Before != i.After }

// Compare returns what changes from one batch to another of the same production.
func Compare(before, after Batch) Impact {
	impact := Impact{Before: before.Totals(), After: after.Totals()}
	type place struct{ shot, view, size string }
	old := map[place]Sequence{}
	for _, s := range before.Sequences {
		old[place{s.Shot, s.View, s.SizeCode}] = s
	}
	paths := map[string]Sequence{}
	for _, s := range before.Sequences {
		for _, f := range s.Files {
			paths[f.Path.String()] = s
		}
	}
	changed := func(shot string) {
		if !slices.Contains(impact.Shots, shot) {
			impact.Shots = append(impact.Shots, shot)
		}
	}
	general := !before.sameGround(after)
	for _, s := range after.Sequences {
		was, known := old[place{s.Shot, s.View, s.SizeCode}]
		delete(old, place{s.Shot, s.View, s.SizeCode})
		if !known || general || !s.Frames.Equal(was.Frames) || !s.sameFiles(was) {
			changed(s.Shot)
		}
		for _, f := range s.Files {
			was, known := paths[f.Path.String()]
			switch {
			case !known:
				impact.Paths += s.Frames.Count()
			case !was.Frames.Equal(s.Frames):
				for n := range s.Frames.All() {
					if !was.Frames.Contains(n) {
						impact.Paths++
					}
				}
			}
		}
	}
	for _, s := range before.Sequences {
		if _, gone := old[place{s.Shot, s.View, s.SizeCode}]; gone {
			changed(s.Shot)
		}
	}
	slices.Sort(impact.Shots)
	return impact
}

func sameLights(a, b pass.LightGroup) bool {
	return a.Code == b.Code && a.Sky == b.Sky && a.Sun == b.Sun && slices.Equal(a.Lights, b.Lights)
}

// sameGround reports whether what counts for all sequences is the same in both batches.
func (b Batch) sameGround(c Batch) bool {
	return b.Quality.Look() == c.Quality.Look() && b.Rate == c.Rate && b.FirstFrame == c.FirstFrame && b.DepthBackground == c.DepthBackground && b.Depth == c.Depth &&
		b.OcclusionRadius == c.OcclusionRadius && slices.EqualFunc(b.LightGroups, c.LightGroups, sameLights) && b.Scene == c.Scene && b.Standards == c.Standards && b.Region == c.Region
}

// sameFiles reports whether a frame that is in both sequences gives the same files.
func (s Sequence) sameFiles(t Sequence) bool {
	if s.View != t.View || s.Camera != t.Camera || !s.Setup.Same(t.Setup) || s.Look.Code != t.Look.Code || len(look.Differences(s.Look, t.Look)) > 0 || s.Size != t.Size || s.Quality.Look() != t.Quality.Look() || s.PixelAspect != t.PixelAspect || s.Fit != t.Fit ||
		!slices.Equal(s.Labels, t.Labels) || !slices.Equal(s.Passes, t.Passes) || !slices.Equal(s.OtherFilter, t.OtherFilter) || len(s.Files) != len(t.Files) {
		return false
	}
	return slices.EqualFunc(s.Files, t.Files, func(f, g FileSequence) bool {
		return f.Output == g.Output && f.Label == g.Label && slices.Equal(f.Passes, g.Passes) && f.Encoding == g.Encoding && f.Size == g.Size && f.Kernel == g.Kernel &&
			f.Path.String() == g.Path.String() && f.Stamp.Percent == g.Stamp.Percent && f.Stamp.Opacity == g.Stamp.Opacity && slices.Equal(f.Stamp.Lines, g.Stamp.Lines)
	})
}
