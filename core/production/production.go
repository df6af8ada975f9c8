// Package production is the document that a render wrangler edits: what is delivered, from which scene,
// by which views, in which frames and passes, to which files. It is plain data; Problems says what is
// wrong with it, in sentences that name the place.
//
// Parts refer to each other by code. A code is short, unique among its kind, and goes into paths.
package production

import (
	"slices"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// A Production is the whole document.
type Production struct {
	Code       string         `json:"code"`
	Title      string         `json:"title"`
	Rate       frame.Rate     `json:"rate"`
	FirstFrame int            `json:"firstFrame"` // the frame at the scene's time 0
	Version    int            `json:"version"`    // of everything rendered next
	Scene      SceneFile      `json:"scene"`
	Sizes      []raster.Named `json:"sizes"`
	Qualities  []Quality      `json:"qualities"`
	Looks      []look.Look    `json:"looks"`
	Views      []View         `json:"views"`
	PassLists  []PassList     `json:"passLists"`
	Shots      []Shot         `json:"shots"`
	Output     Output         `json:"output"`
	// DepthBackground is the depth in metres where there is no surface.
	DepthBackground float64 `json:"depthBackground"`
	// Quality is the code of the quality that the next batch is sent in.
	Quality string `json:"quality"`
}

// A SceneFile names the scene by its content: the file is kept under its hash and never changes.
type SceneFile struct {
	Name   string `json:"name"`   // as it was brought in
	SHA256 string `json:"sha256"` // hexadecimal; empty for none
	Bytes  int64  `json:"bytes"`
}

// A Quality is switched as a whole.
type Quality struct {
	Code    string       `json:"code"`
	Name    string       `json:"name"`
	Percent int          `json:"percent"` // of both edges of a size, rounded up
	Samples int          `json:"samples"` // along each edge of a pixel
	Filter  pixel.Filter `json:"filter"`
	Full    bool         `json:"full"` // good enough to deliver
}

// A View is a camera of the scene under a look.
type View struct {
	Code   string `json:"code"`
	Name   string `json:"name"`
	Camera string `json:"camera"`
	Look   string `json:"look"`
}

// A PassList is a named choice of passes.
type PassList struct {
	Code   string      `json:"code"`
	Name   string      `json:"name"`
	Passes []pass.Code `json:"passes"`
}

// A Shot is a view over frames, in sizes.
type Shot struct {
	Code     string    `json:"code"`
	Name     string    `json:"name"`
	View     string    `json:"view"`
	Frames   frame.Set `json:"frames"`
	Sizes    []string  `json:"sizes"`
	PassList string    `json:"passList"`
	InBatch  bool      `json:"inBatch"`
	Note     string    `json:"note,omitempty"`
}

// Format is a kind of image file.
type Format string

// The formats.
const (
	EXR   Format = "exr"
	PNG8  Format = "png8"
	PNG16 Format = "png16"
)

// Ext returns the file name extension.
func (f Format) Ext() string {
	if f == EXR {
		return "exr"
	}
	return "png"
}

// Packing says how passes go into files.
type Packing string

// The packings.
const (
	Layers Packing = "layers" // all passes of a frame in one file
	Files  Packing = "files"  // one file a pass
)

// Output says where files go and what they are.
type Output struct {
	Pattern string  `json:"pattern"`
	Format  Format  `json:"format"`
	Packing Packing `json:"packing"`
}

// DefaultPattern names files so that no two shots, sizes, versions or passes meet.
const DefaultPattern = "(production)/(shot)/(size)/v(version:3)/(pass)/(shot)_(view)_(size)_(pass).(frame:4).(ext)"

// New returns a production with the usual standards, no scene and no shots.
func New(code, title string) Production {
	sizes := raster.Standard()
	return Production{
		Code: code, Title: title, Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001, Version: 1,
		Sizes:           []raster.Named{sizes[1], sizes[6]},
		Qualities:       DefaultQualities(),
		Looks:           []look.Look{look.Plain()},
		PassLists:       []PassList{{"minimum", "Minimum", []pass.Code{pass.Beauty}}, {"comp", "Compositing", []pass.Code{pass.Beauty, pass.Depth, pass.Normal, pass.Object}}},
		Output:          Output{DefaultPattern, EXR, Layers},
		DepthBackground: 1000,
		Quality:         "draft",
	}
}

// DefaultQualities returns a quick and a final quality.
func DefaultQualities() []Quality {
	return []Quality{
		{"draft", "Draft", 25, 2, pixel.Box, false},
		{"final", "Final", 100, 6, pixel.Gaussian, true},
	}
}

func find[T any](list []T, code string, of func(T) string) (T, bool) {
	if i := slices.IndexFunc(list, func(t T) bool { return of(t) == code }); i >= 0 {
		return list[i], true
	}
	var none T
	return none, false
}

// FindSize returns the size of a code.
func (p Production) FindSize(code string) (raster.Named, bool) {
	return find(p.Sizes, code, func(s raster.Named) string { return s.Code })
}

// FindQuality returns the quality of a code.
func (p Production) FindQuality(code string) (Quality, bool) {
	return find(p.Qualities, code, func(q Quality) string { return q.Code })
}

// FindLook returns the look of a code.
func (p Production) FindLook(code string) (look.Look, bool) {
	return find(p.Looks, code, func(l look.Look) string { return l.Code })
}

// FindView returns the view of a code.
func (p Production) FindView(code string) (View, bool) {
	return find(p.Views, code, func(v View) string { return v.Code })
}

// FindPassList returns the pass list of a code.
func (p Production) FindPassList(code string) (PassList, bool) {
	return find(p.PassLists, code, func(l PassList) string { return l.Code })
}

// FindShot returns the shot of a code.
func (p Production) FindShot(code string) (Shot, bool) {
	return find(p.Shots, code, func(s Shot) string { return s.Code })
}
