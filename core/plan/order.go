package plan

import (
	"fmt"
	"slices"
	"strconv"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// Facts returns what is known of a frame before it is rendered, but for what only the scene and the sending tell: the
// lens, and when that was.
func (b Batch) Facts(s Sequence, number int) stamp.Facts {
	clock := b.Clock()
	return stamp.Facts{
		Fields: naming.Fields{
			Production: b.Production, Sequence: s.Part, Shot: s.Shot, View: s.View, Camera: s.CameraName(),
			Angle: s.Angle, Look: s.Look.Name, Size: s.SizeCode, Quality: b.QualityOf(s).Name, Values: s.valueMap(),
		},
		Title: b.Title, ShotName: s.ShotName, Note: s.Note, Label: s.Label(number),
		Timecode: clock.Timecode(number).String(), Seconds: clock.Seconds(number),
	}
}

// HeaderFacts returns what the headers of a frame's files say, parts of the production by their codes. What people say
// of it (title, name of the shot, note) and the date are there only where a stamp shows them: otherwise the files would
// not be the same when nothing is rendered otherwise.
func (b Batch) HeaderFacts(s Sequence, f stamp.Facts) []job.Fact {
	shown := func(field, value string) string {
		if slices.ContainsFunc(
			s.Files,
			func(file FileSequence) bool { return file.Stamp.On && file.Stamp.Has(field) },
		) {
			return value
		}
		return ""
	}
	depth := ""
	if slices.Contains(s.Passes, pass.Depth) {
		depth = b.DepthOf(s).Style.String()
	}
	var kept []job.Fact
	for _, fact := range []job.Fact{
		{Name: "production", Value: f.Production}, {Name: "title", Value: shown("title", f.Title)},
		{Name: "shot", Value: f.Shot},
		{Name: "shotname", Value: shown("shotname", f.ShotName)}, {Name: "view", Value: f.View},
		{Name: "camera", Value: s.Camera},
		{Name: "lens", Value: f.Lens}, {Name: "look", Value: s.Look.Code}, {Name: "size", Value: f.Size},
		{Name: "quality", Value: b.QualityOf(s).Code}, {Name: "version", Value: strconv.Itoa(b.VersionOf(s))},
		{Name: "timecode", Value: f.Timecode},
		{Name: "date", Value: shown(stamp.Date, f.Date())}, {Name: "note", Value: shown("note", f.Note)},
		{Name: "label", Value: f.Label},
		{Name: "scene", Value: b.Scene.SHA256}, {Name: "depth", Value: depth},
	} {
		if fact.Value != "" {
			kept = append(kept, fact)
		}
	}
	return kept
}

// Picture returns the renderer's order for the picture of a sequence's frames, without the paths of scene and
// environment, and without frames and files.
func (b Batch) Picture(s Sequence) job.Job {
	quality, depth := b.QualityOf(s), b.DepthOf(s)
	return job.Job{
		Version: job.Version, SceneUnit: b.Scene.Unit, SceneNumber: b.Scene.Number,
		View: job.View{Name: s.View, Camera: s.Camera, Setup: s.Setup, Look: s.Look},
		Rate: b.Rate, FirstFrame: b.FirstFrame, Size: s.Size, PixelAspect: s.PixelAspect, Fit: s.Fit,
		Background: b.Background(s),
		Passes:     s.Passes, Samples: s.Samples(quality), Filter: quality.Filter, Effort: quality.Effort,
		Memory:      quality.MemoryBytes(),
		LightGroups: b.LightGroups, OtherFilter: s.OtherFilter,
		DepthBackground: depth.Background, Depth: depth.Style, OcclusionRadius: depth.OcclusionRadius,
		Values: s.jobValues(),
	}
}

func (s Sequence) jobValues() []job.Fact {
	var facts []job.Fact
	for _, v := range s.Values {
		facts = append(facts, job.Fact{Name: v.Key, Value: v.Value})
	}
	return facts
}

// Order returns the renderer's order for a frame with all its files, in the order of the sequence's, without any path.
func (b Batch) Order(s Sequence, number int, f stamp.Facts) (job.Job, error) {
	j := b.Picture(s)
	j.Region, j.Tiles = job.RegionOf(b.RegionOf(s)), s.Tiles
	if j.Tiles == (raster.Tiling{}) {
		j.Tiles = b.QualityOf(s).Tiles // of batches from before tiles were steps of their own
	}
	j.Facts = b.HeaderFacts(s, f)
	frame := job.Frame{Number: number}
	for _, file := range s.Files {
		f.Output, f.Pass = file.Output, file.Label
		filled, err := file.Stamp.Fill(number, b.VersionOf(s), f.Value)
		if err != nil {
			return job.Job{}, fmt.Errorf("stamp of output %s: %w", file.Output, err)
		}
		out := job.File{Encoding: file.Encoding, Passes: file.Passes, Stamp: filled}
		if file.Size != s.Size {
			out.Size, out.Kernel = b.FileSize(s, file), file.Kernel
		}
		frame.Files = append(frame.Files, out)
	}
	j.Frames = []job.Frame{frame}
	return j, nil
}

// Fingerprint returns the fingerprint of a sequence as a renderer would render it. What the scene tells of the lens
// follows from what is in it already.
func (b Batch) Fingerprint(s Sequence, r fingerprint.Renderer) fingerprint.Print {
	s.Labels = nil // they go into the fingerprints of their frames
	order, err := b.Order(s, b.FirstFrame, b.Facts(s, b.FirstFrame))
	if err != nil {
		return "" // its stamp was checked before, so this is not met
	}
	return fingerprint.Of(order, fingerprint.Contents{Scene: b.Scene.SHA256, Environment: s.Environment.SHA256}, r)
}

// Varies says why the files of a sequence may differ from one rendering to the next, "" if they do not.
func (b Batch) Varies(s Sequence, r fingerprint.Renderer) string {
	order := b.Picture(s)
	order.Frames = []job.Frame{{}}
	for _, file := range s.Files {
		order.Frames[0].Files = append(order.Frames[0].Files, job.File{Stamp: file.Stamp})
	}
	return fingerprint.Varies(order, r)
}
