// Package plan turns a production into a batch: every sequence, every frame, every path, with what it
// will cost. A batch is complete by itself and never changes once it is sent.
package plan

import (
	"fmt"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// A Batch is what is sent to the queue.
type Batch struct {
	Production      string               `json:"production"`
	Title           string               `json:"title"`
	Version         int                  `json:"version"`
	Quality         production.Quality   `json:"quality"`
	Rate            frame.Rate           `json:"rate"`
	FirstFrame      int                  `json:"firstFrame"`
	Scene           production.SceneFile `json:"scene"`
	DepthBackground float64              `json:"depthBackground"`
	Sequences       []Sequence           `json:"sequences"`
}

// A Sequence is one shot in one size. One rendering of a frame makes all its files.
type Sequence struct {
	Shot     string         `json:"shot"`
	ShotName string         `json:"shotName"`
	View     string         `json:"view"`
	Camera   string         `json:"camera"`
	Look     look.Look      `json:"look"`
	SizeCode string         `json:"sizeCode"`
	Size     raster.Size    `json:"size"` // in pixels, quality included
	FullSize raster.Size    `json:"fullSize"`
	Frames   frame.Set      `json:"frames"`
	Passes   []pass.Code    `json:"passes"`
	Files    []FileSequence `json:"files"`
	// Forecast for one frame.
	FrameSeconds float64 `json:"frameSeconds"`
	FrameBytes   float64 `json:"frameBytes"`
}

// A FileSequence is the files of one kind, one a frame.
type FileSequence struct {
	Label  string            `json:"label"` // the pass, or "all" for a file of layers
	Passes []pass.Code       `json:"passes"`
	Format production.Format `json:"format"`
	Path   naming.Path       `json:"path"`
}

// Title says which sequence it is, in one line.
func (s Sequence) Title() string { return fmt.Sprintf("%s %s %s", s.Shot, s.View, s.SizeCode) }

// A Measure is what rendering and storing has cost so far. The zero value stands for no frames measured.
type Measure struct {
	Frames                int
	SecondsPerMegasample  float64 // a frame's time over its pixels times samples, in millions
	BytesPerUncompressed  float64 // a frame's files over their size without compression
	FramesRenderedAtATime int
}

// guess stands in until frames have been measured. The numbers were taken on a machine with two cores.
var guess = Measure{SecondsPerMegasample: 6, BytesPerUncompressed: 0.62, FramesRenderedAtATime: 1}

// Build makes the batch of a production's current set-up. It fails with the first of the production's
// problems if it has any.
func Build(p production.Production, m Measure) (Batch, error) {
	if problems := p.Problems(); len(problems) > 0 {
		return Batch{}, problems[0]
	}
	if m.Frames == 0 {
		atATime := m.FramesRenderedAtATime
		m = guess
		m.FramesRenderedAtATime = max(1, atATime)
	}
	quality, _ := p.FindQuality(p.Quality)
	b := Batch{
		Production: p.Code, Title: p.Title, Version: p.Version, Quality: quality, Rate: p.Rate,
		FirstFrame: p.FirstFrame, Scene: p.Scene, DepthBackground: p.DepthBackground,
	}
	pattern := naming.MustParse(p.Output.Pattern) // checked by Problems
	for _, shot := range p.Shots {
		if !shot.InBatch {
			continue
		}
		view, _ := p.FindView(shot.View)
		laid, _ := p.FindLook(view.Look)
		list, _ := p.FindPassList(shot.PassList)
		for _, code := range shot.Sizes {
			size, _ := p.FindSize(code)
			s := Sequence{
				Shot: shot.Code, ShotName: shot.Name, View: view.Code, Camera: view.Camera, Look: laid,
				SizeCode: code, Size: size.Percent(quality.Percent), FullSize: size.Size,
				Frames: shot.Frames, Passes: pass.Sorted(list.Passes),
			}
			s.Files = files(p, pattern, s)
			s.forecast(quality, m)
			b.Sequences = append(b.Sequences, s)
		}
	}
	return b, nil
}

func files(p production.Production, pattern naming.Pattern, s Sequence) []FileSequence {
	groups := [][]pass.Code{s.Passes}
	if p.Output.Packing == production.Files {
		groups = nil
		for _, code := range s.Passes {
			groups = append(groups, []pass.Code{code})
		}
	}
	var out []FileSequence
	for _, group := range groups {
		f := FileSequence{Label: "all", Passes: group, Format: p.Output.Format}
		if len(group) == 1 {
			f.Label = string(group[0])
		}
		f.Path = pattern.Bind(naming.Fields{
			Production: p.Code, Shot: s.Shot, View: s.View, Look: s.Look.Code, Size: s.SizeCode,
			Pass: f.Label, Quality: p.Quality, Ext: f.Format.Ext(), Version: p.Version,
		})
		out = append(out, f)
	}
	return out
}

// Uncompressed returns the bytes of one frame's files without compression.
func (s Sequence) Uncompressed() float64 {
	bytes := 0
	for _, f := range s.Files {
		for _, code := range f.Passes {
			described, _ := pass.Find(code)
			switch f.Format {
			case production.EXR:
				bytes += described.BytesPerPixel()
			case production.PNG8:
				bytes += len(described.Channels)
			default:
				bytes += 2 * len(described.Channels)
			}
		}
	}
	return float64(bytes * s.Size.Pixels())
}

// Megasamples returns how many million samples one frame takes.
func (s Sequence) Megasamples(q production.Quality) float64 {
	return float64(s.Size.Pixels()*q.Samples*q.Samples) / 1e6
}

func (s *Sequence) forecast(q production.Quality, m Measure) {
	s.FrameSeconds = s.Megasamples(q) * m.SecondsPerMegasample / float64(max(1, m.FramesRenderedAtATime))
	s.FrameBytes = s.Uncompressed() * m.BytesPerUncompressed
}

// Totals is what a batch amounts to.
type Totals struct {
	Shots, Sequences, Frames, Files int
	Bytes, Seconds                  float64
}

// Add adds one sequence.
func (t *Totals) Add(s Sequence) {
	n := s.Frames.Count()
	t.Sequences++
	t.Frames += n
	t.Files += n * len(s.Files)
	t.Bytes += float64(n) * s.FrameBytes
	t.Seconds += float64(n) * s.FrameSeconds
}

// Totals adds the batch up.
func (b Batch) Totals() Totals {
	var t Totals
	shots := map[string]bool{}
	for _, s := range b.Sequences {
		t.Add(s)
		shots[s.Shot] = true
	}
	t.Shots = len(shots)
	return t
}

// A Row is one file sequence, as `reelhouse plan` prints it.
type Row struct {
	Shot      string      `json:"shot"`
	View      string      `json:"view"`
	Size      string      `json:"size"`
	Width     int         `json:"width"`
	Height    int         `json:"height"`
	Pass      string      `json:"pass"`
	Passes    []pass.Code `json:"passes"`
	Frames    frame.Set   `json:"frames"`
	Count     int         `json:"count"`
	FirstPath string      `json:"firstPath"`
	LastPath  string      `json:"lastPath"`
	Pattern   naming.Path `json:"pattern"`
}

// Rows lists every file sequence.
func (b Batch) Rows() []Row {
	var rows []Row
	for _, s := range b.Sequences {
		for _, f := range s.Files {
			rows = append(rows, Row{
				s.Shot, s.View, s.SizeCode, s.Size.Width, s.Size.Height, f.Label, f.Passes, s.Frames, s.Frames.Count(),
				f.Path.Frame(s.Frames.First()), f.Path.Frame(s.Frames.Last()), f.Path,
			})
		}
	}
	return rows
}
