package production

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"reelhouse/core/cut"
	"reelhouse/core/frame"
	"reelhouse/core/naming"
)

// cutProblems says what is wrong with the cut by itself.
func (p Production) cutProblems(ps *problems) {
	if err := p.Cut.Check(); err != nil {
		ps.add("cut", "cut", "%s", err)
	}
}

// FirstCut returns a cut of the shots that are in the batch, in their order, one after the other and each once with all
// of its own frames. Of a range with holes the frames in between are taken for shown, too.
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
	first := cut.Cut{Start: p.Cut.Start, Sound: p.Cut.Sound}
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

// FollowCut gives shots the frames that the cut shows of them, and returns the codes of those that are different now. A
// shot that the cut does not show stays as it is.
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

// ShotsOfCut makes a shot for every clip of the cut that is none, with the frames that are seen of it, shown by a view.
// Clips of one name become one shot, whose code is made of that name. It returns the codes.
func (p *Production) ShotsOfCut(view string) ([]string, error) {
	if _, ok := p.FindView(view); !ok {
		return nil, fmt.Errorf("there is no view %q for the new shots", view)
	}
	var added []string
	codes := map[string]string{} // by the names of clips
	for k := range p.Cut.Tracks {
		for i := range p.Cut.Tracks[k].Clips {
			clip := &p.Cut.Tracks[k].Clips[i]
			if _, known := p.FindShot(clip.Shot); known {
				continue
			}
			name := clip.Title()
			code, made := codes[name]
			if !made {
				code = p.freeCode(codeOf(name))
				codes[name] = code
				added = append(added, code)
				p.Shots = append(
					p.Shots,
					Shot{
						Code:    code,
						Name:    name,
						View:    view,
						Frames:  clip.Sources(clip.Record, clip.End()),
						InBatch: true,
					},
				)
			}
			clip.Shot, clip.View = code, ""
		}
	}
	frames, err := p.CutFrames()
	if err != nil {
		return nil, err
	}
	for i := range p.Shots {
		if s := &p.Shots[i]; slices.Contains(added, s.Code) && !frames[s.Code].Empty() {
			s.Frames = frames[s.Code]
		}
	}
	return added, nil
}

// codeOf makes a code of a name: its letters and digits, with hyphens for what is between.
func codeOf(name string) string {
	code := strings.Trim(notInCodes.ReplaceAllString(name, "-"), "-_")
	if code = code[:min(len(code), 24)]; !naming.ValidCode(code) {
		return "clip"
	}
	return code
}

var notInCodes = regexp.MustCompile(`[^A-Za-z0-9_]+`)

// freeCode returns the code, or with a number the first one after it that no shot has.
func (p *Production) freeCode(code string) string {
	free := code
	for n := 2; ; n++ {
		if _, taken := p.FindShot(free); !taken {
			return free
		}
		free = fmt.Sprintf("%s-%d", code, n)
	}
}
