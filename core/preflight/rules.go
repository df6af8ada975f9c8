package preflight

import (
	"slices"
	"strings"

	"github.com/dustin/go-humanize"

	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
)

// A rule looks at a batch and reports.
type rule struct {
	name, why         string
	severity          Severity
	check             check // of the whole batch; or
	each              each  // of every sequence by itself
	paths             bool  // check rests on paths and frames alone
	mandatory         bool  // it cannot be waived
	needsConfirmation bool  // see Finding.Twice
}

type check = func(b plan.Batch, f Facts, found report)

// each looks at one sequence, and is told whether it is the first one of its shot. What it finds rests on nothing of
// the batch but its ground (everything beside the sequences), and of the facts on Cameras and LastFrame alone.
type each = func(b plan.Batch, f Facts, s *plan.Sequence, first bool, found report)

// A report takes what a rule finds, and where.
type report = func(where string, fix Fix, format string, args ...any)

var rules = slices.Concat([]rule{
	{
		name:     "empty-batch",
		why:      "There would be nothing to render.",
		severity: Refuses,
		check: func(b plan.Batch, _ Facts, found report) {
			if len(b.Sequences) == 0 {
				found(
					"batch", NoFix,
					"No shot is in the batch, or all of its cells are left out. Put at least one in, at the Shots "+
						"station.",
				)
			}
		},
		mandatory: true,
	},
	{
		name:     "camera-missing",
		why:      "A view without its camera cannot be rendered.",
		severity: Refuses,
		each: func(_ plan.Batch, f Facts, s *plan.Sequence, _ bool, found report) {
			if s.Camera != "" && !slices.Contains(f.Cameras, s.Camera) {
				found(s.Title(), NoFix, "The scene has no camera %q. Choose another for view %s.", s.Camera, s.View)
			}
		},
		mandatory: true,
	},
	{
		name:     "scene-opaque",
		why:      "A scene that the renderer cannot read cannot be rendered.",
		severity: Refuses,
		check: func(b plan.Batch, f Facts, found report) {
			if f.Unreadable {
				found(
					"scene", NoFix,
					"The scene %s can be read by an outside renderer only, and none is configured. Name one in the "+
						"configuration file, or import a glTF scene.",
					b.Scene.Name,
				)
			}
		},
		mandatory: true,
	},
	{
		name:     "renderer-cannot",
		why:      "What a renderer does not write never becomes good.",
		severity: Refuses,
		check: func(_ plan.Batch, f Facts, found report) {
			for _, u := range f.Unrendered {
				found(
					u.Where,
					NoFix,
					"%s. Choose another renderer at the Shots or Views station, or ask for less.",
					u.Why,
				)
			}
		},
		mandatory: true,
	},
	{
		name:     "same-path",
		paths:    true,
		why:      "The later file would overwrite the earlier one.",
		severity: Refuses,
		check: func(b plan.Batch, _ Facts, found report) {
			for _, c := range b.Prove().Clashes {
				hint := "Put what differs between them into the name pattern."
				if c.OnlyCaseDiffers {
					hint = "Change one of the codes, or set a case rule."
				}
				found(c.Second, NoFix, "%s. %s", c, hint)
			}
		},
		mandatory: true,
	},
	{
		name:      "already-sent",
		why:       "Nothing that was sent may be overwritten.",
		severity:  Refuses,
		check:     alreadySent,
		mandatory: true,
	},
	{
		name:     "format-too-small",
		why:      "Passes that the file format cannot hold would be lost.",
		severity: Refuses,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			for _, file := range s.Files {
				if err := file.Encoding.Holds(file.Passes); err != nil {
					found(
						s.Title(), NoFix, "Output %s: %s. Choose OpenEXR, or let the output take the beauty alone.",
						file.Output, err,
					)
				}
			}
		},
		mandatory: true,
	},
	{
		name:     "pass-left-out",
		why:      "A pass that no output stores is rendered for nothing.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			for _, code := range s.Passes {
				if !slices.ContainsFunc(
					s.Files,
					func(f plan.FileSequence) bool { return slices.Contains(f.Passes, code) },
				) {
					found(
						s.Title(),
						NoFix,
						"No output of this shot takes the pass %s. Give the shot one that does, or take the pass off "+
							"its list.",
						code,
					)
				}
			}
		},
	},
	{
		name:     "lossy-master",
		why:      "Every save of a lossy file costs picture.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			for _, f := range s.Files {
				if f.Role != output.Master {
					continue
				}
				if !f.Encoding.Lossless() {
					found(
						s.Title(), NoFix, "Output %s is a master in %s, which is lossy.", f.Output,
						f.Encoding.Described(),
					)
				}
			}
		},
	},
	{
		name:     "no-master",
		why:      "What is only there for looking cannot be graded or delivered.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			if !slices.ContainsFunc(s.Files, func(f plan.FileSequence) bool { return f.Role == output.Master }) {
				found(s.Title(), NoFix, "No output of this shot is a master.")
			}
		},
	},
	{name: "below-minimum", why: "The delivery would be sent back.", severity: Warns, check: belowMinimum},
	{
		name:     "alpha-lost",
		why:      "The compositor could not put anything behind the picture.",
		severity: Warns,
		each: func(b plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			for _, f := range s.Files {
				if f.Role == output.Master && b.Background(*s).Kind == look.Transparent &&
					f.Encoding.Alpha == output.NoAlpha &&
					slices.Contains(f.Passes, pass.Beauty) {
					found(s.Title(), NoFix, "The background is transparent, and output %s stores no alpha.", f.Output)
				}
			}
		},
	},
	{
		name:     "not-portable",
		why:      "Some systems would refuse, hide or change the name.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			for _, file := range s.Files {
				p := file.Path.Frame(s.Frames.Last())
				for _, problem := range naming.Portable(p) {
					found(s.Title(), NoFix, "Output %s: %s. The path is %s", file.Output, problem, p)
				}
			}
		},
	},
	{
		name:     "padding-too-short",
		why:      "File lists sort wrongly when numbers differ in length.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			first, last := s.Frames.First(), s.Frames.Last()
			for _, file := range s.Files {
				if p := file.Path.Labelled(nil); !strings.Contains(p.String(), "(label)") &&
					len(p.Frame(first)) != len(p.Frame(last)) {
					fix := PadFrames
					if first < 0 {
						fix = NoFix // a sign takes a place that no padding makes up for
					}
					found(
						s.Title(), fix,
						"Frame numbers %d and %d have different lengths in the paths of output %s. Pad the frame "+
							"field with more digits.",
						first, last, file.Output,
					)
				}
			}
		},
	},
	{
		name:     "beyond-the-scene",
		why:      "Nothing moves there; often a range was meant for another scene.",
		severity: Warns,
		each: func(b plan.Batch, f Facts, s *plan.Sequence, _ bool, found report) {
			if s.Frames.First() < b.FirstFrame || s.Frames.Last() > f.LastFrame && s.Frames.Count() > 1 {
				found(
					s.Title(), NoFix, "Frames %s reach outside the scene's %d to %d.", s.Frames, b.FirstFrame,
					f.LastFrame,
				)
			}
		},
	},
	{
		name:     "quick-settings",
		why:      "Draft pictures look finished in a file list.",
		severity: Warns,
		check: func(b plan.Batch, _ Facts, found report) {
			if !b.Quality.Deliverable {
				found(
					"batch", NoFix, "The quality is %s: %s of the size, %d × %d samples.", b.Quality.Name,
					b.Quality.Scale, b.Quality.Samples, b.Quality.Samples,
				)
			}
		},
	},
	{
		name:     "light-cut-off",
		why:      "A limit on indirect light takes light away, and a time limit leaves noise.",
		severity: Warns,
		check: func(b plan.Batch, _ Facts, found report) {
			if !b.Quality.Deliverable {
				return
			}
			if clamp := b.Quality.Effort.Clamp; clamp > 0 {
				found(
					"batch", NoFix,
					"The quality %s is final, and limits what indirect light may add to %g. Its pictures "+
						"are darker than they should be where bright things light others.",
					b.Quality.Name, clamp,
				)
			}
			if seconds := b.Quality.Effort.Seconds; seconds > 0 {
				found(
					"batch", NoFix,
					"The quality %s is final, and ends every frame after %g s. Frames may differ in noise, "+
						"and none can be rendered again the same.",
					b.Quality.Name, seconds,
				)
			}
		},
	},
	{
		name:     "stretched-panorama",
		why:      "A viewer for panoramas shows it stretched, or refuses it.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			if s.Setup.Panorama && s.Size.Width != 2*s.Size.Height {
				found(
					s.Title(), NoFix,
					"View %s shows all directions, whose picture is twice as wide as high; %v is not. Give the shot "+
						"a size of 2:1.",
					s.View, s.Size,
				)
			}
		},
	},
	{
		name:     "disk-too-small",
		why:      "A full disk ends the night.",
		severity: Refuses,
		check: func(b plan.Batch, f Facts, found report) {
			tiles := 0.0 // of the largest frame, until it is put together
			for i := range b.Sequences {
				s := &b.Sequences[i]
				tiles = max(tiles, b.TileBytes(*s))
			}
			need, where := b.Totals().Bytes, "on volume "+b.Volume
			if b.Volume == "" {
				need, where = need+tiles, "in the data folder"
			} else if f.WorkBytes >= 0 && tiles > f.WorkBytes {
				found(
					"batch", NoFix,
					"Tiles of a frame take about %s in the data folder and %s are free. Make room there.",
					bytesOf(tiles), bytesOf(f.WorkBytes),
				)
			}
			if f.FreeBytes >= 0 && need > f.FreeBytes {
				found(
					"batch",
					NoFix,
					"About %s are needed %s and %s are free: %s too little. Make room, or render less.",
					bytesOf(need),
					where,
					bytesOf(f.FreeBytes),
					bytesOf(need-f.FreeBytes),
				)
			}
		},
	},
	{
		name:      "volume-unusable",
		why:       "Frames are rendered for hours that nobody can keep.",
		severity:  Refuses,
		mandatory: true,
		check: func(b plan.Batch, f Facts, found report) {
			if f.VolumeFault != "" {
				found(
					"batch", NoFix,
					"Nothing can be written: %s. Fix that, or choose another volume at the Output station.",
					f.VolumeFault,
				)
			}
		},
	},
}, passRules, setUpRules, sendingRules)

// bytesOf is a number of bytes as people read it.
func bytesOf(n float64) string { return humanize.Bytes(uint64(max(0, n))) }

// eachMaster visits the files that are masters.
func eachMaster(b plan.Batch, visit func(s *plan.Sequence, f plan.FileSequence)) {
	for i := range b.Sequences {
		s := &b.Sequences[i]
		for _, f := range s.Files {
			if f.Role == output.Master {
				visit(s, f)
			}
		}
	}
}

// belowMinimum holds sizes and masters against the delivery minimum. A size counts at full quality, and in
// a batch of full quality as it is rendered.
func belowMinimum(b plan.Batch, _ Facts, found report) {
	floor := b.Standards.Floor
	for i := range b.Sequences {
		s := &b.Sequences[i]
		size := s.FullSize
		if b.Quality.Deliverable {
			size = s.Size
		}
		if size.Width < floor.Width || size.Height < floor.Height {
			found(
				s.Title(), NoFix, "%v is below the delivery minimum of %d × %d pixels.", size, floor.Width,
				floor.Height,
			)
		}
	}
	said := map[string]bool{}
	eachMaster(b, func(s *plan.Sequence, f plan.FileSequence) {
		if said[f.Output] {
			return
		}
		if bits := f.Encoding.Depth.Bits(); bits < floor.Bits {
			said[f.Output] = true
			found(
				"output "+f.Output, NoFix, "It stores %d bits a value, below the delivery minimum of %d.", bits,
				floor.Bits,
			)
		}
		if floor.Lossless && !f.Encoding.Lossless() {
			said[f.Output] = true
			found(
				"output "+f.Output, NoFix, "%s is lossy, and the delivery wants masters without loss.",
				f.Encoding.Described(),
			)
		}
	})
}
