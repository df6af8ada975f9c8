package plan

import (
	"reflect"
	"slices"

	"reelhouse/core/fingerprint"
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
	listed := map[string]bool{}
	changed := func(shot string) {
		if !listed[shot] {
			listed[shot] = true
			impact.Shots = append(impact.Shots, shot)
		}
	}
	// What is the same in everything need not be looked at closely: of a film most sequences are.
	grounds := [2]Batch{before, after}
	grounds[0].Sequences, grounds[1].Sequences = nil, nil
	alike := reflect.DeepEqual(grounds[0], grounds[1])
	for _, s := range after.Sequences {
		was, known := old[place{s.Shot, s.View, s.SizeCode}]
		delete(old, place{s.Shot, s.View, s.SizeCode})
		if !known || !(alike && reflect.DeepEqual(s, was)) && after.differs(s, before, was) {
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

// differs reports whether a sequence gives other files than another one of an earlier batch, or for other frames, or
// elsewhere.
func (b Batch) differs(s Sequence, before Batch, was Sequence) bool {
	return !s.Frames.Equal(was.Frames) || !slices.Equal(s.Labels, was.Labels) || !s.samePaths(was) ||
		b.print(s) != before.print(was)
}

// samePaths reports whether two sequences write to the same paths.
func (s Sequence) samePaths(t Sequence) bool {
	return slices.EqualFunc(
		s.Files,
		t.Files,
		func(f, g FileSequence) bool { return f.Path.String() == g.Path.String() },
	)
}

// print returns a sequence's fingerprint, whoever renders it.
func (b Batch) print(s Sequence) fingerprint.Print { return b.Fingerprint(s, fingerprint.Renderer{}) }
