// Package preflight judges a batch before it is sent. Each rule has a name, a reason and, where one is
// sure, a fix.
package preflight

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/imagefile"
	"reelhouse/core/plan"
)

// Severity says what a finding means for sending.
type Severity string

// The severities.
const (
	Refuses Severity = "refuses" // the batch cannot be sent
	Warns   Severity = "warns"   // the batch can be sent, and should be looked at
)

// A Fix is something that puts a finding right at once.
type Fix string

// The fixes.
const (
	NoFix       Fix = ""
	NextVersion Fix = "next-version" // raise the production's version by one
	FilePerPass Fix = "file-per-pass"
)

// A Finding is what one rule found at one place.
type Finding struct {
	Rule     string   `json:"rule"`
	Severity Severity `json:"severity"`
	Where    string   `json:"where"`
	Message  string   `json:"message"`
	Why      string   `json:"why"`
	Fix      Fix      `json:"fix,omitempty"`
}

// Facts are what the rules need to know beside the batch.
type Facts struct {
	Cameras   []string // of the scene
	LastFrame int      // the last frame at which the scene still moves
	FreeBytes float64  // on the output's disk; negative if it is not known
	// Taken returns the name of the sent batch that already has files under a path, or "".
	Taken func(pathKey string) string
}

// A rule looks at a batch and reports.
type rule struct {
	name, why string
	severity  Severity
	check     func(b plan.Batch, f Facts, found func(where string, fix Fix, format string, args ...any))
}

// MaxPath is the longest path, in bytes, that every common system opens below an output folder (common
// practice).
const MaxPath = 200

var rules = []rule{
	{"empty-batch", "There would be nothing to render.", Refuses, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		if len(b.Sequences) == 0 {
			found("batch", NoFix, "No shot is in the batch. Put at least one in, at the Shots station.")
		}
	}},
	{"camera-missing", "A view without its camera cannot be rendered.", Refuses, func(b plan.Batch, f Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			if !slices.Contains(f.Cameras, s.Camera) {
				found(s.Title(), NoFix, "The scene has no camera %q. Choose another for view %s.", s.Camera, s.View)
			}
		}
	}},
	{"same-path", "The later file would overwrite the earlier one.", Refuses, samePath},
	{"already-sent", "Nothing that was sent may be overwritten.", Refuses, alreadySent},
	{"format-too-small", "Passes that the file format cannot hold would be lost.", Refuses, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			for _, file := range s.Files {
				if err := imagefile.Holds(file.Format, file.Passes); err != nil {
					found(s.Title(), NoFix, "%s. Choose EXR, or a pass list with beauty alone.", err)
				}
			}
		}
	}},
	{"padding-too-short", "File lists sort wrongly when numbers differ in length.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			first, last := s.Frames.First(), s.Frames.Last()
			if len(s.Files) > 0 && len(s.Files[0].Path.Frame(first)) != len(s.Files[0].Path.Frame(last)) {
				found(s.Title(), NoFix, "Frame numbers %d and %d have different lengths in the path. Pad the frame field with more digits.", first, last)
			}
		}
	}},
	{"path-too-long", "Some systems cannot open long paths.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			for _, file := range s.Files {
				if p := file.Path.Frame(s.Frames.Last()); len(p) > MaxPath {
					found(s.Title(), NoFix, "A path is %d bytes long, over %d: %s", len(p), MaxPath, p)
				}
			}
		}
	}},
	{"beyond-the-scene", "Nothing moves there; often a range was meant for another scene.", Warns, func(b plan.Batch, f Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			if s.Frames.First() < b.FirstFrame || s.Frames.Last() > f.LastFrame && s.Frames.Count() > 1 {
				found(s.Title(), NoFix, "Frames %s reach outside the scene's %d to %d.", s.Frames, b.FirstFrame, f.LastFrame)
			}
		}
	}},
	{"quick-settings", "Draft pictures look finished in a file list.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		if !b.Quality.Full {
			found("batch", NoFix, "The quality is %s: %d %% of the size, %d × %d samples.", b.Quality.Name, b.Quality.Percent, b.Quality.Samples, b.Quality.Samples)
		}
	}},
	{"disk-too-small", "A full disk ends the night.", Refuses, func(b plan.Batch, f Facts, found func(string, Fix, string, ...any)) {
		if need := b.Totals().Bytes; f.FreeBytes >= 0 && need > f.FreeBytes {
			found("batch", NoFix, "About %.0f MB are needed and %.0f MB are free. Make room, or render less.", math.Ceil(need/1e6), math.Floor(f.FreeBytes/1e6))
		}
	}},
}

// alreadySent names, for each earlier batch, one path that this batch would write again.
func alreadySent(b plan.Batch, f Facts, found func(string, Fix, string, ...any)) {
	first, counts := map[string]string{}, map[string]int{}
	var order []string
	for _, s := range b.Sequences {
		for _, file := range s.Files {
			by := f.Taken(file.Path.Key())
			if by == "" {
				continue
			}
			if counts[by]++; counts[by] == 1 {
				order, first[by] = append(order, by), file.Path.Frame(s.Frames.First())
			}
		}
	}
	for _, by := range order {
		found("batch", NextVersion, "%d file sequences were already sent with %s, %s among them. Raise the version, or change what is rendered.", counts[by], by, first[by])
	}
}

// samePath names both sequences of every pair that would write to one path.
func samePath(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
	type owner struct{ sequence, file string }
	owners := map[string]owner{}
	for _, s := range b.Sequences {
		for _, file := range s.Files {
			key := file.Path.Key()
			if first, taken := owners[key]; taken {
				fix, hint := NoFix, "Put what differs between them into the name pattern."
				if first.sequence == s.Title() {
					hint = "Put (pass) into the name pattern."
				}
				found(s.Title(), fix, "%s (%s) and %s (%s) would both write %s. %s", first.sequence, first.file, s.Title(), file.Label, file.Path.Frame(s.Frames.First()), hint)
				continue
			}
			owners[key] = owner{s.Title(), file.Label}
		}
	}
}

// Check applies every rule and returns what they find, refusals first.
func Check(b plan.Batch, f Facts) []Finding {
	var findings []Finding
	for _, r := range rules {
		r.check(b, f, func(where string, fix Fix, format string, args ...any) {
			findings = append(findings, Finding{r.name, r.severity, where, fmt.Sprintf(format, args...), r.why, fix})
		})
	}
	slices.SortStableFunc(findings, func(a, b Finding) int {
		return slices.Index([]Severity{Refuses, Warns}, a.Severity) - slices.Index([]Severity{Refuses, Warns}, b.Severity)
	})
	return findings
}

// Refused reports whether any finding keeps the batch from being sent.
func Refused(findings []Finding) bool {
	return slices.ContainsFunc(findings, func(f Finding) bool { return f.Severity == Refuses })
}
