// Package preflight judges a batch before it is sent. Each rule has a name, a reason and, where one is
// sure, a fix.
package preflight

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
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
	PadFrames   Fix = "pad-frames"   // more digits for the frame number
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
	// Unreadable says that the renderer cannot read the scene, which is an opaque one.
	Unreadable bool
	// Taken returns the name of the sent batch that already has files under a path, or "".
	Taken func(pathKey string) string
}

// A rule looks at a batch and reports.
type rule struct {
	name, why string
	severity  Severity
	check     func(b plan.Batch, f Facts, found func(where string, fix Fix, format string, args ...any))
}

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
	{"scene-opaque", "A scene that the renderer cannot read cannot be rendered.", Refuses, func(b plan.Batch, f Facts, found func(string, Fix, string, ...any)) {
		if f.Unreadable {
			found("scene", NoFix, "The scene %s can be read by an outside renderer only, and none is configured. Name one in the configuration file, or bring in a glTF scene.", b.Scene.Name)
		}
	}},
	{"same-path", "The later file would overwrite the earlier one.", Refuses, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, c := range b.Prove().Clashes {
			hint := "Put what differs between them into the name pattern."
			if c.OnlyCaseDiffers {
				hint = "Change one of the codes, or set a case rule."
			}
			found(c.Second, NoFix, "%s. %s", c, hint)
		}
	}},
	{"already-sent", "Nothing that was sent may be overwritten.", Refuses, alreadySent},
	{"format-too-small", "Passes that the file format cannot hold would be lost.", Refuses, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			for _, file := range s.Files {
				if err := file.Encoding.Holds(file.Passes); err != nil {
					found(s.Title(), NoFix, "Output %s: %s. Choose OpenEXR, or let the output take the beauty alone.", file.Output, err)
				}
			}
		}
	}},
	{"pass-left-out", "A pass that no output stores is rendered for nothing.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			for _, code := range s.Passes {
				if !slices.ContainsFunc(s.Files, func(f plan.FileSequence) bool { return slices.Contains(f.Passes, code) }) {
					found(s.Title(), NoFix, "No output of this shot takes the pass %s. Give the shot one that does, or take the pass off its list.", code)
				}
			}
		}
	}},
	{"lossy-master", "Every save of a lossy file costs picture.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		eachMaster(b, func(s plan.Sequence, f plan.FileSequence) {
			if !f.Encoding.Lossless() {
				found(s.Title(), NoFix, "Output %s is a master in %s, which is lossy.", f.Output, f.Encoding.Described())
			}
		})
	}},
	{"no-master", "What is only there for looking cannot be graded or delivered.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			if !slices.ContainsFunc(s.Files, func(f plan.FileSequence) bool { return f.Role == output.Master }) {
				found(s.Title(), NoFix, "No output of this shot is a master.")
			}
		}
	}},
	{"below-minimum", "The delivery would be sent back.", Warns, belowMinimum},
	{"alpha-lost", "The compositor could not put anything behind the picture.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		eachMaster(b, func(s plan.Sequence, f plan.FileSequence) {
			if b.Background(s).Kind == look.Transparent && f.Encoding.Alpha == output.NoAlpha && slices.Contains(f.Passes, pass.Beauty) {
				found(s.Title(), NoFix, "The background is transparent, and output %s stores no alpha.", f.Output)
			}
		})
	}},
	{"not-portable", "Some systems would refuse, hide or change the name.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			for _, file := range s.Files {
				p := file.Path.Frame(s.Frames.Last())
				for _, problem := range naming.Portable(p) {
					found(s.Title(), NoFix, "Output %s: %s. The path is %s", file.Output, problem, p)
				}
			}
		}
	}},
	{"padding-too-short", "File lists sort wrongly when numbers differ in length.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			first, last := s.Frames.First(), s.Frames.Last()
			for _, file := range s.Files {
				if len(file.Path.Frame(first)) != len(file.Path.Frame(last)) {
					fix := PadFrames
					if first < 0 {
						fix = NoFix // a sign takes a place that no padding makes up for
					}
					found(s.Title(), fix, "Frame numbers %d and %d have different lengths in the paths of output %s. Pad the frame field with more digits.", first, last, file.Output)
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
			found("batch", NoFix, "The quality is %s: %s of the size, %d × %d samples.", b.Quality.Name, b.Quality.Scale, b.Quality.Samples, b.Quality.Samples)
		}
	}},
	{"light-cut-off", "What takes bright specks away takes light away, and what stops the clock leaves noise.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		if !b.Quality.Full {
			return
		}
		if clamp := b.Quality.Effort.Clamp; clamp > 0 {
			found("batch", NoFix, "The quality %s is one to deliver, and limits what indirect light may add to %g. Its pictures are darker than they should be where bright things light others.", b.Quality.Name, clamp)
		}
		if seconds := b.Quality.Effort.Seconds; seconds > 0 {
			found("batch", NoFix, "The quality %s is one to deliver, and ends every frame after %g s. Frames may differ in noise, and none can be rendered again the same.", b.Quality.Name, seconds)
		}
	}},
	{"stretched-panorama", "A viewer for panoramas shows it stretched, or refuses it.", Warns, func(b plan.Batch, _ Facts, found func(string, Fix, string, ...any)) {
		for _, s := range b.Sequences {
			if s.Setup.AllAround && s.Size.Width != 2*s.Size.Height {
				found(s.Title(), NoFix, "View %s shows all directions, whose picture is twice as wide as high; %v is not. Give the shot a size of 2:1.", s.View, s.Size)
			}
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

// eachMaster visits the files that are masters.
func eachMaster(b plan.Batch, visit func(s plan.Sequence, f plan.FileSequence)) {
	for _, s := range b.Sequences {
		for _, f := range s.Files {
			if f.Role == output.Master {
				visit(s, f)
			}
		}
	}
}

// belowMinimum holds sizes and masters against the delivery minimum. A size counts at full quality, and in
// a batch of full quality as it is rendered.
func belowMinimum(b plan.Batch, _ Facts, found func(where string, fix Fix, format string, args ...any)) {
	floor := b.Standards.Floor
	for _, s := range b.Sequences {
		size := s.FullSize
		if b.Quality.Full {
			size = s.Size
		}
		if size.Width < floor.Width || size.Height < floor.Height {
			found(s.Title(), NoFix, "%v is below the delivery minimum of %d × %d pixels.", size, floor.Width, floor.Height)
		}
	}
	said := map[string]bool{}
	eachMaster(b, func(s plan.Sequence, f plan.FileSequence) {
		if said[f.Output] {
			return
		}
		if bits := f.Encoding.Depth.Bits(); bits < floor.Bits {
			said[f.Output] = true
			found("output "+f.Output, NoFix, "It stores %d bits a value, below the delivery minimum of %d.", bits, floor.Bits)
		}
		if floor.Lossless && !f.Encoding.Lossless() {
			said[f.Output] = true
			found("output "+f.Output, NoFix, "%s is lossy, and the delivery wants masters without loss.", f.Encoding.Described())
		}
	})
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
