package preflight

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
)

// passRules look at what is stored of the passes.
var passRules = []rule{
	{
		name:     "data-in-few-bits",
		why:      "Numbers that measure something lose their meaning in 8 bits.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			eachData(s, func(f plan.FileSequence, code pass.Code) {
				if bits := f.Encoding.Depth.Bits(); !f.Encoding.Floating() && bits <= 10 {
					found(
						s.Title(), NoFix,
						"Output %s stores the pass %s in %d bits. Choose a format of floats, such as OpenEXR, or "+
							"leave the pass out of it.",
						f.Output, code, bits,
					)
				}
			})
		},
	},
	{
		name:     "data-lossy",
		why:      "What is left out to make a file smaller is left out of the numbers.",
		severity: Warns,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			eachData(s, func(f plan.FileSequence, code pass.Code) {
				if f.Encoding.Floating() && !f.Encoding.Lossless() {
					found(
						s.Title(), NoFix, "Output %s stores the pass %s with %s, which changes its numbers.", f.Output,
						code, f.Encoding.Described(),
					)
				}
			})
		},
	},
	{
		name: "encoded-twice",
		why: "Light that is encoded for a display and then taken for linear is encoded again, and looks washed " +
			"out.",
		severity: Refuses,
		each: func(_ plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			for _, f := range s.Files {
				if c := f.Encoding.Curve; f.Encoding.Floating() && c != "" && c != "linear" {
					found(
						s.Title(), NoFix,
						"Output %s encodes floats by %s, and everything downstream takes floats for linear. Take the "+
							"encode away at the Output station.",
						f.Output, c,
					)
				}
			}
		},
	},
	{
		name:     "depth-background-near",
		why:      "Far things come out farther than the sky behind them, and blur or fog that goes by depth breaks.",
		severity: Warns,
		each: func(b plan.Batch, f Facts, s *plan.Sequence, _ bool, found report) {
			if d := b.DepthOf(*s); f.Reach > 0 && d.Background < f.Reach && slices.Contains(s.Passes, pass.Depth) {
				found(
					s.Title(), FarEnough,
					"The background counts as %.4g m deep, and things of this scene can be %.4g m apart. Measure a "+
						"shot at the Passes station, or put the background behind everything.",
					d.Background, f.Reach,
				)
			}
		},
	},
	{
		name:     "depth-clipped",
		why:      "What is clipped in the picture of depth cannot be told apart any more.",
		severity: Warns,
		each: func(b plan.Batch, f Facts, s *plan.Sequence, _ bool, found report) {
			d := b.DepthOf(*s).Style
			if d.Picture && !d.Open && f.Reach > 0 && d.Far < f.Reach && slices.Contains(s.Passes, pass.Depth) {
				found(
					s.Title(), NoFix,
					"The picture of depth ends at %.4g m, and things of this scene can be %.4g m apart. Measure a "+
						"shot at the Passes station.",
					d.Far, f.Reach,
				)
			}
		},
	},
	{
		name:     "depth-unit",
		why:      "Millimetres taken for metres make depth a thousand times too large.",
		severity: Warns,
		check: func(b plan.Batch, f Facts, found report) {
			if (f.Reach > 0 && f.Reach < 0.05 || f.Reach > 50_000) && usesPass(b, pass.Depth) {
				found(
					"scene", NoFix,
					"The scene is %.4g m across, which is unlikely, and depth is wanted. Look at its unit, at the "+
						"Scenes station.",
					f.Reach,
				)
			}
		},
	},
	{
		name:     "matte-of-clear",
		why:      "A matte of something that can be seen through covers only as much of a pixel as it hides.",
		severity: Warns,
		check: func(b plan.Batch, f Facts, found report) {
			if len(f.Clear) > 0 && (usesPass(b, pass.Object) || usesPass(b, pass.CryptoObject)) {
				found(
					"mattes", NoFix, "%s can be seen through: what stands behind shares their pixels in the mattes.",
					some(f.Clear),
				)
			}
		},
	},
	{
		name:     "matte-without-hidden",
		why:      "What the camera does not see is in no matte, though its shadows and reflections are in the picture.",
		severity: Warns,
		check: func(b plan.Batch, _ Facts, found report) {
			said := map[string]bool{}
			for i := range b.Sequences {
				s := &b.Sequences[i]
				if hidden := s.Look.Unseen; len(hidden) > 0 && !said[s.Look.Code] &&
					(slices.Contains(s.Passes, pass.Object) || slices.Contains(s.Passes, pass.CryptoObject)) {
					said[s.Look.Code] = true
					found(
						"look "+s.Look.Code, NoFix,
						"It hides %s from the camera, which will be missing from the mattes.", some(hidden),
					)
				}
			}
		},
	},
}

// setUpRules look at what is rendered.
var setUpRules = []rule{
	{
		name:     "look-not-in-scene",
		why:      "A variant or texture that is not there changes nothing, and one title looks like another.",
		severity: Refuses,
		each: func(_ plan.Batch, f Facts, s *plan.Sequence, _ bool, found report) {
			if texts := f.Undressed[s.Shot]; len(texts) > 0 {
				found(
					s.Title(), NoFix,
					"The look %s asks for %s, which the scene does not have. Change the look, or the shot's values.",
					s.Look.Code, some(texts),
				)
			}
		},
	},
	{
		name:     "texture-missing",
		why:      "What has lost its picture is rendered in one colour.",
		severity: Warns,
		check: func(b plan.Batch, f Facts, found report) {
			if len(f.Missing) > 0 {
				found(
					"scene", NoFix, "%s. Import the scene with its pictures, at the Scenes station.", some(f.Missing),
				)
			}
		},
	},
	{
		name:     "other-look",
		why:      "The commonest fault is a right camera under a wrong light.",
		severity: Warns,
		check: func(b plan.Batch, f Facts, found report) {
			said := map[string]bool{}
			for i := range b.Sequences {
				s := &b.Sequences[i]
				if own, known := f.ViewLooks[s.View]; known && own != s.Look.Code && !said[s.Shot+" "+s.View] {
					said[s.Shot+" "+s.View] = true
					found(
						s.Shot+" "+s.View, NoFix, "The shot shows view %s under the look %s; the view's own is %s.",
						s.View, s.Look.Code, own,
					)
				}
			}
		},
	},
	{
		name:     "view-without-shot",
		why:      "A camera that was set up and has no range is often one that was forgotten.",
		severity: Warns,
		check: func(b plan.Batch, f Facts, found report) {
			if len(f.Unused) > 0 {
				found("views", NoFix, "No shot shows %s. Give them shots, or make them working views.", some(f.Unused))
			}
		},
	},
	{
		name:     "still-as-range",
		why:      "A still that was set up as a range renders the same picture many times.",
		severity: Warns,
		each: func(b plan.Batch, _ Facts, s *plan.Sequence, first bool, found report) {
			if !first {
				return
			}
			if n := s.Own.Count(); n > 1 && b.Trial == plan.Whole && stillWords.MatchString(s.ShotName+" "+s.Note) {
				found("shot "+s.Shot, NoFix, "It is called a still, and has %d frames: %s.", n, s.Own)
			}
		},
	},
	{
		name:     "range-as-still",
		why:      "A shot of one frame cannot be cut.",
		severity: Warns,
		each: func(b plan.Batch, _ Facts, s *plan.Sequence, first bool, found report) {
			if !first {
				return
			}
			if s.Own.Count() == 1 && b.Trial == plan.Whole && len(s.Labels) == 0 &&
				!stillWords.MatchString(s.ShotName+" "+s.Note) {
				found(
					"shot "+s.Shot, NoFix,
					"It has one frame, %s. If a still is wanted, say so in its name or note; otherwise write the "+
						"range.",
					s.Own,
				)
			}
		},
	},
	{
		name:     "last-frame-missing",
		why:      "The last frame of a range is the one that gets lost.",
		severity: Warns,
		each: func(b plan.Batch, f Facts, s *plan.Sequence, first bool, found report) {
			if !first {
				return
			}
			if n := s.Own.Last(); s.Own.Count() > 1 && b.Trial == plan.Whole && n == f.LastFrame-1 {
				found(
					"shot "+s.Shot, NoFix,
					"It ends with frame %d, one before the scene's last, %d. Both ends of a range are rendered.", n,
					f.LastFrame,
				)
			}
		},
	},
	{
		name:     "cut-needs-more",
		why:      "The cut would show a frame that nobody has rendered.",
		severity: Warns,
		check: func(b plan.Batch, f Facts, found report) {
			eachShot(b, func(s *plan.Sequence) {
				if missing := f.Cut[s.Shot].Minus(s.Frames); b.Trial == plan.Whole && !missing.Empty() {
					found(
						"shot "+s.Shot, NoFix, "The cut shows %d frames that are not rendered: %s.", missing.Count(),
						shortened(missing.String()),
					)
				}
			})
		},
	},
	{
		name:              "steps-left-on",
		why:               "A sequence with holes plays too fast, and is found out at the edit.",
		severity:          Refuses,
		needsConfirmation: true,
		each: func(b plan.Batch, _ Facts, s *plan.Sequence, first bool, found report) {
			if !first || !b.Quality.Deliverable || b.Trial != plan.Whole {
				return
			}
			step := s.Own.Runs()
			if s.Step > 1 || len(step) == 1 && step[0].Step > 1 && step[0].Count() > 2 {
				found(
					"shot "+s.Shot, EveryFrame,
					"The batch is final, and only every %s frame of this shot is rendered: %s.",
					frame.Nth(max(s.Step, step[0].Step)), s.Own,
				)
			}
		},
	},
	{
		name:              "region-left-on",
		why:               "Files of a part are no larger than that part.",
		severity:          Refuses,
		needsConfirmation: true,
		check: func(b plan.Batch, _ Facts, found report) {
			if !b.Region.Whole() && b.Quality.Deliverable {
				found(
					"batch", WholePicture,
					"Only a part of every picture is rendered: from %s per cent (left, top, right, bottom).", b.Region,
				)
			}
		},
	},
	{
		name:              "quick-shot",
		why:               "Anything quick left on in a final batch is the most expensive mistake there is.",
		severity:          Refuses,
		needsConfirmation: true,
		each: func(b plan.Batch, _ Facts, s *plan.Sequence, first bool, found report) {
			if !first {
				return
			}
			if q := b.QualityOf(*s); b.Quality.Deliverable && !q.Deliverable {
				found(
					"shot "+s.Shot, FinalQuality,
					"The batch is final, in %s, and this shot is rendered in %s: %s of the size, %d × %d samples.",
					b.Quality.Name, q.Name, q.Scale, q.Samples, q.Samples,
				)
			}
		},
	},
	{
		name:     "alpha-in-some",
		why:      "The compositor gets an alpha that is 1 everywhere.",
		severity: Warns,
		check: func(b plan.Batch, _ Facts, found report) {
			clear := map[string]bool{} // outputs with a transparent sequence
			eachMaster(b, func(s *plan.Sequence, f plan.FileSequence) {
				if b.Background(*s).Kind == look.Transparent {
					clear[f.Output] = true
				}
			})
			eachMaster(b, func(s *plan.Sequence, f plan.FileSequence) {
				if clear[f.Output] && b.Background(*s).Kind != look.Transparent && f.Encoding.Alpha != output.NoAlpha &&
					slices.Contains(f.Passes, pass.Beauty) {
					found(
						s.Title(), NoFix,
						"Other shots of output %s have a transparent background; this one has a background that "+
							"hides everything.",
						f.Output,
					)
				}
			})
		},
	},
	{
		name:     "tiles-without-clock",
		why:      "Tiles that each end by the clock would differ in noise.",
		severity: Warns,
		check: func(b plan.Batch, _ Facts, found report) {
			for i := range b.Sequences {
				s := &b.Sequences[i]
				if q := b.QualityOf(*s); b.Untiled(*s) {
					found(
						s.Title(), NoFix,
						"The quality %s ends a frame after %g s, so that it is rendered as a whole by one node, "+
							"which takes about %.1f GB of memory.",
						q.Name, q.Effort.Seconds, b.Memory(*s)/1e9,
					)
					return
				}
			}
		},
	},
	{
		name:     "tiles-too-large",
		why:      "A node that runs out of memory loses the tile, and slows down everything else on it.",
		severity: Warns,
		each: func(b plan.Batch, _ Facts, s *plan.Sequence, _ bool, found report) {
			if q := b.QualityOf(*s); q.Effort.Seconds == 0 && b.Memory(*s) > float64(q.MemoryBytes()) {
				found(
					s.Title(), TilesByNeed,
					"A tile takes about %.1f GB of memory, where the quality %s wants no more than %g GB.",
					b.Memory(*s)/1e9, q.Name, float64(q.MemoryBytes())/1e9,
				)
			}
		},
	},
}

// NothingNew is the rule by which a batch of which all was sent already is refused.
const NothingNew = "nothing-new"

// sendingRules look at what was sent before, and at the queue.
var sendingRules = []rule{
	{
		name:     NothingNew,
		why:      "Nothing is rendered twice unless that is asked for.",
		severity: Refuses,
		check: func(b plan.Batch, f Facts, found report) {
			good, coming, unknown := 0, 0, 0
			for _, n := range f.Diffs {
				if !n.New.Empty() || !n.Changed.Empty() {
					return
				}
				good, coming, unknown = good+n.Good.Count(), coming+n.Coming.Count(), unknown+n.Unknown.Count()
			}
			if good+coming+unknown > 0 {
				found(
					"batch",
					NextVersion,
					"All of it was sent already: %d frames are in place and %d queued with the same set-up%s. "+
						"Use the next version to render it once more.",
					good,
					coming,
					ofUnknown(unknown),
				)
			}
		},
		mandatory: true,
	},
	{
		name: "set-up-unknown", why: "Frames from before fingerprints were kept cannot be compared with what would " +
			"be rendered now.", severity: Warns,
		check: func(_ plan.Batch, f Facts, found report) {
			unknown, by := 0, ""
			for _, n := range f.Diffs {
				if unknown += n.Unknown.Count(); by == "" && !n.Unknown.Empty() {
					by = strings.Join(n.By, ", ")
				}
			}
			if unknown > 0 {
				found(
					"batch",
					NextVersion,
					"%d frames were sent before fingerprints were kept, with %s. It is not known whether their "+
						"set-up is "+
						"this one, and they are left out. Use the next version to render them once more.",
					unknown,
					by,
				)
			}
		},
	},
	{
		name: "path-occupied", why: "A file that stands where another belongs is never overwritten, so that the " +
			"frame fails.", severity: Refuses,
		check: func(_ plan.Batch, f Facts, found report) {
			if len(f.Occupied) > 0 {
				found(
					"batch", NextVersion,
					"%s exists already, and this house has no record of it%s. Move it away, or use the next version.",
					f.Occupied[0], alike(len(f.Occupied)-1),
				)
			}
		},
	},
	{
		name:     "queue-is-busy",
		why:      "A batch that starts before another has ended shares its machines.",
		severity: Warns,
		check: func(b plan.Batch, f Facts, found report) {
			if t := b.Totals(); f.Busy > 3600 && f.Busy > t.Seconds {
				found(
					"queue", NoFix,
					"The queue has %s of work before this batch. Give it a higher priority, or a time to start.",
					hours(f.Busy),
				)
			}
		},
	},
}

// stillWords are those by which a still is known.
var stillWords = regexp.MustCompile(`(?i)\b(still|stills|poster|single frame|key art|plate|thumbnail)\b`)

// alreadySent finds paths under which files were made with another set-up.
func alreadySent(b plan.Batch, f Facts, found report) {
	count, first, by := 0, "", ""
	for _, n := range f.Diffs {
		if n.Other == "" {
			continue
		}
		if count++; count == 1 {
			first, by = n.Other, strings.Join(n.By, ", ")
		}
	}
	if count > 0 {
		found(
			"batch", NextVersion,
			"%d of the sequences were sent already with another set-up, with %s; %s is among their files. Raise the "+
				"version, so that nothing is overwritten.",
			count, by, first,
		)
	}
}

func usesPass(b plan.Batch, code pass.Code) bool {
	for i := range b.Sequences {
		if slices.Contains(b.Sequences[i].Passes, code) {
			return true
		}
	}
	return false
}

// eachShot visits the first sequence of every shot.
func eachShot(b plan.Batch, visit func(s *plan.Sequence)) {
	for i := range b.Sequences {
		s := &b.Sequences[i]
		if i == 0 || b.Sequences[i-1].Shot != s.Shot {
			visit(s)
		}
	}
}

// eachData visits the passes that are data, of every file of a sequence.
func eachData(s *plan.Sequence, visit func(f plan.FileSequence, code pass.Code)) {
	for _, f := range s.Files {
		for _, code := range f.Passes {
			if described, err := pass.Find(code); err == nil && described.Data {
				visit(f, code)
			}
		}
	}
}

// some names the first few of many.
func some(names []string) string {
	const most = 4
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return strings.Join(names[:most], ", ") + " and " + plural(len(names)-most)
}

// shortened returns the beginning of a long text.
func shortened(text string) string {
	const most = 60
	if len(text) > most {
		return text[:most] + " …"
	}
	return text
}

// ofUnknown adds the frames of which the set-up is not known.
func ofUnknown(n int) string {
	if n == 0 {
		return ""
	}
	return ", " + strconv.Itoa(n) + " with one that is not known"
}

// alike adds how many other paths are alike.
func alike(n int) string {
	if n == 0 {
		return ""
	}
	return ", nor of " + plural(n)
}

func plural(n int) string {
	if n == 1 {
		return "one more"
	}
	return strconv.Itoa(n) + " more"
}

func hours(seconds float64) string {
	return strconv.FormatFloat(math.Round(seconds/360)/10, 'f', -1, 64) + " h"
}
