package production

import (
	"slices"

	"reelhouse/core/cut"
	"reelhouse/core/frame"
)

// cutProblems says what is wrong with the cut by itself.
func (p Production) cutProblems(ps *problems) {
	if err := p.Cut.Check(); err != nil {
		ps.add(Shots, "cut", "cut", "%s", err)
	}
}

// FirstCut returns a cut of the shots that are in the batch, in their order, one after the other and each once with all of its own frames. Of a range with holes
// the frames in between are taken for shown, too.
func (p Production) FirstCut() cut.Cut {
	var t cut.Track
	at := 0
	for _, s := range p.Shots {
		if !s.InBatch || s.Frames.Empty() {
			continue
		}
		length := s.Frames.Last() - s.Frames.First() + 1
		t.Clips = append(t.Clips, cut.Clip{Shot: s.Code, Record: at, Length: length, Source: s.Frames.First()})
		at += length
	}
	first := p.Cut
	first.Tracks = nil
	if len(t.Clips) > 0 {
		first.Tracks = []cut.Track{t}
	}
	return first
}

// CutFrames returns the frames of every shot that the cut shows, by the shots' codes.
func (p Production) CutFrames() (map[string]frame.Set, error) {
	used, err := p.Cut.Used()
	if err != nil {
		return nil, err
	}
	frames := map[string]frame.Set{}
	for u, set := range used {
		all, err := frame.Union(frames[u.Shot], set)
		if err != nil {
			return nil, err
		}
		frames[u.Shot] = all
	}
	return frames, nil
}

// FollowCut gives shots the frames that the cut shows of them, and returns the codes of those that are different now. A shot that the cut does not show
// stays as it is.
func (p *Production) FollowCut(codes []string) ([]string, error) {
	frames, err := p.CutFrames()
	if err != nil {
		return nil, err
	}
	var changed []string
	for i := range p.Shots {
		s := &p.Shots[i]
		set, shown := frames[s.Code]
		if !shown || len(codes) > 0 && !slices.Contains(codes, s.Code) || s.Frames.Equal(set) {
			continue
		}
		s.Frames = set
		changed = append(changed, s.Code)
	}
	return changed, nil
}
