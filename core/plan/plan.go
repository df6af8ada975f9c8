// Package plan turns a production into a batch: every sequence, every frame, every path, with what it
// will cost. A batch is complete by itself and never changes once it is sent.
package plan

import (
	"cmp"
	"encoding/json"
	"fmt"
	"image"
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/stamp"
)

// A Batch is what is sent to the queue.
type Batch struct {
	Production string               `json:"production"`
	Title      string               `json:"title"`
	Version    int                  `json:"version"`
	Quality    production.Quality   `json:"quality"`
	Rate       frame.Rate           `json:"rate"`
	FirstFrame int                  `json:"firstFrame"`
	Scene      production.SceneFile `json:"scene"`
	// DepthBackground, Depth and OcclusionRadius are of batches from before they were a sequence's; see DepthOf.
	DepthBackground float64           `json:"depthBackground,omitempty"`
	Depth           pass.DepthStyle   `json:"depth,omitzero"`
	OcclusionRadius float64           `json:"occlusionRadius,omitempty"`
	LightGroups     []pass.LightGroup `json:"lightGroups,omitempty"`
	Standards       Standards         `json:"standards"`
	// Volume is the code of the volume that files are written to, "" for the data folder.
	Volume string `json:"volume,omitempty"`
	// Region is the part of every picture that is rendered; the zero value for all of it.
	Region raster.Part `json:"region,omitzero"`
	// Trial says which few frames stand for all; "" for all.
	Trial Trial `json:"trial,omitempty"`
	// Waived are the findings that were waived, and why.
	Waived    []production.Waiver `json:"waived,omitempty"`
	Sequences []Sequence          `json:"sequences"`
}

// Standards is what every sequence of a batch has of the production's standards.
type Standards struct {
	DropFrame     bool             `json:"dropFrame"`
	FirstTimecode string           `json:"firstTimecode"`
	Background    look.Background  `json:"background"`
	Floor         production.Floor `json:"floor"`
	Names         naming.Rules     `json:"names"`
}

// Clock ties the batch's frames to timecode and seconds.
func (b Batch) Clock() frame.Clock {
	return production.Standards{
		Rate:          b.Rate,
		DropFrame:     b.Standards.DropFrame,
		FirstFrame:    b.FirstFrame,
		FirstTimecode: b.Standards.FirstTimecode,
	}.Clock()
}

// A Sequence is one shot in one size. One rendering of a frame makes all its files.
type Sequence struct {
	Shot     string `json:"shot"`
	ShotName string `json:"shotName"`
	// Version is the shot's own, 0 for the batch's; Step is of its frames, where it is above 1.
	Version int    `json:"version,omitempty"`
	Step    int    `json:"step,omitempty"`
	Part    string `json:"part,omitempty"` // of the film, as production.Shot.Sequence
	// Renderer is who was chosen to render it; "" for who reads the scene.
	Renderer string `json:"renderer,omitempty"`
	// Values are the shot's.
	Values []production.Value `json:"values,omitempty"`
	// Angle is where the view stands in its rig, in whole degrees from the first.
	Angle  int          `json:"angle,omitempty"`
	View   string       `json:"view"`
	Camera string       `json:"camera"`
	Setup  camera.Setup `json:"setup,omitzero"`
	Look   look.Look    `json:"look"`
	// Environment is the map that the look names; the zero value for none.
	Environment production.EnvironmentFile `json:"environment,omitzero"`
	SizeCode    string                     `json:"sizeCode"`
	Size        raster.Size                `json:"size"` // in pixels, quality included
	FullSize    raster.Size                `json:"fullSize"`
	// PixelAspect is a pixel's width over its height.
	PixelAspect float64     `json:"pixelAspect"`
	Fit         raster.Fit  `json:"fit"`
	Frames      frame.Set   `json:"frames"` // with handles
	Own         frame.Set   `json:"own"`    // without
	Note        string      `json:"note,omitempty"`
	Passes      []pass.Code `json:"passes"`
	// Depth says what the passes of depth and occlusion hold; the zero value for what the batch says, see DepthOf.
	Depth pass.DepthSettings `json:"depth,omitzero"`
	// OtherFilter are those of the passes that are averaged over pixels, or not, where usually it is the other way
	// round.
	OtherFilter []pass.Code `json:"otherFilter,omitempty"`
	// Quality is the sequence's own; the zero value for the batch's.
	Quality production.Quality `json:"quality,omitzero"`
	// Tiles are what each frame is rendered in, as steps of their own; the zero value, or 1 x 1, for a whole frame.
	Tiles  raster.Tiling      `json:"tiles,omitzero"`
	Labels []production.Label `json:"labels,omitempty"`
	Files  []FileSequence     `json:"files"`
	// FollowUp says what the sequence is made from, if it follows another one; nil for one that is rendered.
	FollowUp *FollowUp `json:"followUp,omitempty"`
	// Taken are its frames that are not rendered, but taken over from earlier sequences.
	Taken []Taken `json:"taken,omitempty"`
	// Forecast for one frame.
	FrameSeconds float64 `json:"frameSeconds"`
	FrameBytes   float64 `json:"frameBytes"`
	// Least and Most are the seconds between which a frame is expected to take.
	Least float64 `json:"least,omitempty"`
	Most  float64 `json:"most,omitempty"`
}

// A FileSequence is the files of one kind, one a frame.
type FileSequence struct {
	Output   string          `json:"output"`
	Role     output.Role     `json:"role"`
	Label    string          `json:"label"` // the pass, the group, or "all" for a file of layers
	Passes   []pass.Code     `json:"passes"`
	Encoding output.Encoding `json:"encoding"`
	Size     raster.Size     `json:"size"`   // in pixels, the output's scale included
	Kernel   pixel.Kernel    `json:"kernel"` // resamples the rendered picture to Size
	Stamp    stamp.Stamp     `json:"stamp"`  // as it is written, with fields
	Path     naming.Path     `json:"path"`
	Pattern  string          `json:"pattern"`
}

// names returns the names of labelled frames.
func (s Sequence) names() map[int]string {
	if len(s.Labels) == 0 {
		return nil
	}
	names := make(map[int]string, len(s.Labels))
	for _, l := range s.Labels {
		names[l.Frame] = l.Name
	}
	return names
}

// Label returns the name of a frame, "" for none.
func (s Sequence) Label(n int) string { return s.names()[n] }

// UnmarshalJSON gives the paths that were read the names of frames, which stand with the sequence.
func (s *Sequence) UnmarshalJSON(data []byte) error {
	type plain Sequence
	if err := json.Unmarshal(data, (*plain)(s)); err != nil {
		return err
	}
	for i := range s.Files {
		s.Files[i].Path = s.Files[i].Path.Labelled(s.names())
	}
	return nil
}

// Title says which sequence it is, in one line.
func (s Sequence) Title() string {
	title := fmt.Sprintf("%s %s %s", s.Shot, s.View, s.SizeCode)
	if s.FollowUp != nil {
		title += ", " + s.FollowUp.Kind
	}
	return title
}

// A Measure is what rendering and storing has cost so far. The zero value stands for no frames measured.
type Measure struct {
	Frames                int
	SecondsPerMegasample  float64 // a frame's time over its pixels times samples, in millions
	BytesPerModelled      float64 // a frame's files over what Sequence.Modelled says
	FramesRenderedAtATime int
	// Least and Most are the rates of the quickest and the slowest view, with what single frames vary.
	Least, Most float64
	Views       map[string]Rate // of the views that were rendered
}

// A Rate is how long the frames of one view have taken, in seconds a million samples.
type Rate struct {
	Frames            int
	Mean, Least, Most float64
}

// guessedRange is by how much a guess may be wrong, either way, as a factor.
const guessedRange = 3

// of returns the rate of a view: its own, or else that of all views together.
func (m Measure) of(view string) Rate {
	if r, ok := m.Views[view]; ok && r.Frames > 0 {
		return r
	}
	r := Rate{Mean: m.SecondsPerMegasample, Least: m.Least, Most: m.Most}
	if r.Least == 0 || m.Frames == 0 {
		r.Least, r.Most = r.Mean/guessedRange, r.Mean*guessedRange
	}
	return r
}

// Basis says what the forecast of a view rests on.
func (m Measure) Basis(view string) string {
	switch r := m.Views[view]; {
	case m.Frames == 0:
		return "a guess, until frames were measured"
	case r.Frames == 0:
		return fmt.Sprintf("%d measured frames of other views", m.Frames)
	default:
		return fmt.Sprintf("%d measured frames of this view", r.Frames)
	}
}

// guess stands in until frames have been measured. The numbers were taken on a machine with two cores.
var guess = Measure{SecondsPerMegasample: 4, BytesPerModelled: 1, FramesRenderedAtATime: 1}

// Or returns the measure, or a guess if nothing was measured.
func (m Measure) Or() Measure {
	if m.Frames == 0 {
		atATime := m.FramesRenderedAtATime
		m = guess
		m.FramesRenderedAtATime = max(1, atATime)
	}
	return m
}

// Build makes the batch of a production's current set-up. It fails with the first of the production's
// problems if it has any.
func Build(p production.Production, m Measure) (Batch, error) {
	r := p.Resolve()
	if len(r.Problems) > 0 {
		return Batch{}, r.Problems[0]
	}
	return (*Built)(nil).Again(r, m).Batch, nil
}

// sequences returns the sequences of a shot.
func (b Batch) sequences(p production.Production, shot production.RenderedShot, m Measure) []Sequence {
	var all []Sequence
	passes, list, rendered, own := shot.Passes(), *shot.List, shot.Rendered(), shot.Own()
	for _, view := range shot.Views {
		for _, size := range shot.Sizes {
			if shot.Shot.LeftOut(view.Code, size.Code) {
				continue
			}
			seen, fit := view.In(*size)
			s := Sequence{
				Shot: shot.Shot.Code, ShotName: shot.Shot.Name, View: view.Code, Camera: seen.Camera, Setup: seen.Setup,
				Look: *view.Look, Environment: view.Environment,
				SizeCode: size.Code, FullSize: size.Size, PixelAspect: size.Pixel(), Fit: fit,
				Frames: rendered, Own: own, Passes: passes, Note: shot.Shot.Note, Labels: shot.Shot.Labels,
				Depth: shot.Depth(), Part: shot.Shot.Sequence, Values: shot.Shot.Values, Angle: view.Angle,
				Version: shot.Shot.Version, Step: shot.Shot.Step,
				Renderer: cmp.Or(shot.Shot.Renderer, view.Renderer),
			}
			if shot.Quality.Code != b.Quality.Code {
				s.Quality = shot.Quality
			}
			s.Size = size.Reduced(shot.Quality.Scale)
			for _, o := range shot.Outputs {
				s.Files = append(s.Files, files(p, o, *size, s, shot.Quality.Code, list)...)
			}
			s.Tiles = b.tiling(s, shot.Shot.TilesOf(view.Code, size.Code))
			s.OtherFilter = list.Other(s.Passes, func(c production.PassChoice) bool { return c.OtherFilter })
			s.forecast(b.Samples(s), shot.Quality.Effort.Seconds, m)
			s.FrameBytes = b.Modelled(s) * m.BytesPerModelled
			all = append(all, s)
		}
	}
	return all
}

// QualityOf returns the quality that a sequence is rendered in.
func (b Batch) QualityOf(s Sequence) production.Quality {
	if s.Quality.Code != "" {
		return s.Quality
	}
	return b.Quality
}

// DepthOf returns what the passes of depth and occlusion of a sequence hold.
func (b Batch) DepthOf(s Sequence) pass.DepthSettings {
	if s.Depth == (pass.DepthSettings{}) {
		return pass.DepthSettings{Style: b.Depth, Background: b.DepthBackground, OcclusionRadius: b.OcclusionRadius}
	}
	return s.Depth
}

// files lists the file sequences of one output of a sequence.
func files(
	p production.Production, o *production.RenderedOutput, size raster.Named, s Sequence, quality string,
	list production.PassList,
) []FileSequence {
	scaled := o.Scale.Of(s.Size).Multiple(size.MultipleOf)
	if o.Scale.Full() {
		scaled = s.Size
	}
	var out []FileSequence
	for _, bundle := range o.Bundles(list.For(o.Code)) {
		f := FileSequence{
			Output: o.Code, Role: o.Role, Label: bundle.Label, Passes: bundle.Passes,
			Encoding: o.Encoding.
				With(list.Other(bundle.Passes, func(c production.PassChoice) bool { return c.OtherDepth })),
			Size: scaled, Kernel: o.ResampledBy(), Pattern: o.Pattern.String(),
		}
		if o.Stamp.On && slices.Contains(bundle.Passes, pass.Beauty) {
			f.Stamp = o.Stamp
		}
		f.Path = o.Pattern.Bind(s.fields(p.Code, quality, p.Version, f), p.Names.Rules).Labelled(s.names()).
			On(p.Volume)
		out = append(out, f)
	}
	return out
}

// fields returns the values that a file's name is made of.
func (s *Sequence) fields(production, quality string, version int, f FileSequence) naming.Fields {
	return naming.Fields{
		Production: production, Sequence: s.Part, Shot: s.Shot, View: s.View, Camera: s.CameraName(), Angle: s.Angle,
		Look: s.Look.Code, Size: s.SizeCode, Output: f.Output, Pass: f.Label, Quality: quality,
		Ext: f.Encoding.Format.Ext(), Values: s.valueMap(),
		Version: cmp.Or(s.Version, version),
	}
}

// Named returns how a file of a sequence is called by another pattern than its own.
func (b Batch) Named(s Sequence, f FileSequence, by naming.Pattern) naming.Path {
	return by.Bind(s.fields(b.Production, b.QualityOf(s).Code, b.Version, f), b.Standards.Names).Labelled(s.names())
}

// VersionOf returns the version of what a sequence renders.
func (b Batch) VersionOf(s Sequence) int { return cmp.Or(s.Version, b.Version) }

// OwnCamera is what a camera is called in names that no scene has.
const OwnCamera = "own"

// CameraName returns what the camera is called in names.
func (s *Sequence) CameraName() string {
	if s.Camera == "" {
		return OwnCamera
	}
	return s.Camera
}

func (s *Sequence) valueMap() map[string]string { return production.Shot{Values: s.Values}.ValueMap() }

// Runs returns every file sequence for the proof of its names.
func (b Batch) Runs() []naming.Run {
	files := 0
	for i := range b.Sequences {
		files += len(b.Sequences[i].Files)
	}
	runs := make([]naming.Run, 0, files)
	patterns := map[string]naming.Pattern{}
	for i := range b.Sequences {
		s := &b.Sequences[i]
		title, quality := s.Title(), b.QualityOf(*s).Code
		for _, f := range s.Files {
			pattern, known := patterns[f.Pattern]
			if !known {
				var err error
				if pattern, err = naming.Parse(f.Pattern); err != nil {
					continue // a batch is built from patterns that can be read
				}
				patterns[f.Pattern] = pattern
			}
			runs = append(runs, naming.Run{
				What: title + " (" + f.Output + " " + f.Label + ")", Pattern: pattern,
				Fields: s.fields(b.Production, quality, b.Version, f), Path: f.Path, Frames: s.Frames,
			})
		}
	}
	return runs
}

// Prove finds out whether any two files of the batch would have one path; see naming.Prove.
func (b Batch) Prove() naming.Proof { return naming.Prove(b.Runs(), b.Standards.Names, 20) }

// Modelled returns the bytes that one frame's files are expected to take before any were measured.
func (s Sequence) Modelled() float64 {
	sum := 0.0
	for _, f := range s.Files {
		sum += f.Encoding.Bytes(f.Passes, f.Size)
	}
	return sum
}

// Samples returns how many samples the sequence takes along a pixel's edge: as the quality says, and no fewer than its
// look needs.
func (s Sequence) Samples(q production.Quality) int { return max(q.Samples, s.Look.LeastSamples) }

// Background returns what stands in the sequence where there is no surface.
func (b Batch) Background(s Sequence) look.Background { return s.Look.Over(b.Standards.Background) }

// quietShare is how many of the samples beyond the least a picture takes where quiet pixels are done earlier, as a
// guess.
const quietShare = 0.2

// Megasamples returns how many million samples one frame is expected to take.
func (s Sequence) Megasamples(q production.Quality) float64 {
	n := s.Samples(q)
	all := float64(n * n)
	if q.Effort.Noise > 0 {
		least := q.Effort.Least
		if least == 0 {
			least = sampling.UsualLeast
		}
		if least < n {
			all = float64(least*least) + quietShare*(all-float64(least*least))
		}
	}
	return float64(s.Size.Pixels()) * all / 1e6
}

// Samples returns how many million samples a frame of a sequence is expected to take.
func (b Batch) Samples(s Sequence) float64 { return s.Megasamples(b.QualityOf(s)) * b.share(s) }

// Modelled returns the bytes that one frame's files of a sequence are expected to take, of what is rendered of it.
func (b Batch) Modelled(s Sequence) float64 { return s.Modelled() * b.share(s) }

// share returns the part of a sequence's pixels that is rendered.
func (b Batch) share(s Sequence) float64 {
	part := b.RegionOf(s)
	if part.Empty() {
		return 1
	}
	return float64(part.Dx()*part.Dy()) / float64(s.Size.Pixels())
}

// FileSize returns the pixels that a file of a sequence has: its size, or as much of that as is rendered.
func (b Batch) FileSize(s Sequence, f FileSequence) raster.Size {
	if part := b.Region.Of(f.Size); !part.Empty() {
		return raster.Size{Width: part.Dx(), Height: part.Dy()}
	}
	return f.Size
}

// RegionOf returns the pixels of a sequence that are rendered; the empty rectangle for all of them.
func (b Batch) RegionOf(s Sequence) image.Rectangle { return b.Region.Of(s.Size) }

// forecast fills in what a frame will cost, of that many million samples and in no more than limit seconds, 0 for any.
func (s *Sequence) forecast(samples, limit float64, m Measure) {
	r := m.of(s.View)
	samples /= float64(max(1, m.FramesRenderedAtATime))
	s.FrameSeconds, s.Least, s.Most = samples*r.Mean, samples*r.Least, samples*r.Most
	if limit > 0 {
		s.FrameSeconds, s.Least, s.Most = min(s.FrameSeconds, limit), min(s.Least, limit), min(s.Most, limit)
	}
}

// Totals is what a batch amounts to.
type Totals struct {
	Shots, Sequences, Frames, Files int
	Bytes, Seconds                  float64
	Least, Most                     float64 // seconds
}

// Add adds one sequence.
func (t *Totals) Add(s *Sequence) {
	n := s.Frames.Count()
	t.Sequences++
	t.Frames += n
	t.Files += n * len(s.Files)
	t.Bytes += float64(n) * s.FrameBytes
	t.Seconds += float64(n) * s.FrameSeconds
	t.Least += float64(n) * s.Least
	t.Most += float64(n) * s.Most
}

// Totals adds the batch up.
func (b Batch) Totals() Totals {
	var t Totals
	for i := range b.Sequences {
		t.Add(&b.Sequences[i])
		if i == 0 || b.Sequences[i-1].Shot != b.Sequences[i].Shot { // those of a shot stand together
			t.Shots++
		}
	}
	return t
}

// A Row is one file sequence, as `reelhouse plan` prints it.
type Row struct {
	Shot      string      `json:"shot"`
	View      string      `json:"view"`
	Size      string      `json:"size"`
	Output    string      `json:"output"`
	Format    string      `json:"format"`
	Width     int         `json:"width"`
	Height    int         `json:"height"`
	Pass      string      `json:"pass"`
	Passes    []pass.Code `json:"passes"`
	Frames    frame.Set   `json:"frames"`
	Count     int         `json:"count"`
	FirstPath string      `json:"firstPath"`
	LastPath  string      `json:"lastPath"`
	Pattern   naming.Path `json:"pattern"`
	Tiles     int         `json:"tiles,omitempty"` // that each frame is rendered in; 0 for whole frames
}

// Rows lists every file sequence.
func (b Batch) Rows() []Row {
	var rows []Row
	for _, s := range b.Sequences {
		for _, f := range s.Files {
			rows = append(rows, Row{
				s.Shot, s.View, s.SizeCode, f.Output, string(f.Encoding.Format), f.Size.Width, f.Size.Height, f.Label,
				f.Passes, s.Frames, s.Frames.Count(),
				f.Path.Frame(s.Frames.First()), f.Path.Frame(s.Frames.Last()), f.Path, b.TileCount(s),
			})
		}
	}
	return rows
}
