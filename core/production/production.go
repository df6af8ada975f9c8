// Package production is the document that a render wrangler edits: what is delivered, from which scene,
// by which views, in which frames and passes, to which files. It is plain data; Problems says what is
// wrong with it, in sentences that name the place.
//
// Parts refer to each other by code. A code is short, unique among its kind, and goes into paths.
package production

import (
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/cut"
	"reelhouse/core/grade"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
)

// A Production is the whole document.
type Production struct {
	Code    string `json:"code"`
	Title   string `json:"title"`
	Version int    `json:"version"` // of everything rendered next
	Standards
	// Preset is the name of the preset that the standards came from, "" for none.
	Preset string       `json:"preset,omitempty"`
	Scene  SceneFile    `json:"scene"`
	Looks  []look.Look  `json:"looks"`
	Views  []View       `json:"views"`
	Rigs   []camera.Rig `json:"rigs,omitempty"`
	// Environments are the maps that looks may put round the scene.
	Environments []EnvironmentFile `json:"environments,omitempty"`
	PassLists    []PassList        `json:"passLists"`
	// LightGroups are lights whose share of the picture is wanted by itself; each is a pass.
	LightGroups []pass.LightGroup `json:"lightGroups,omitempty"`
	Shots       []Shot            `json:"shots"`
	// Cut is the shots in playing order.
	Cut cut.Cut `json:"cut,omitzero"`
	// ShotDefaults is what shots have that say nothing else.
	ShotDefaults ShotDefaults `json:"usual,omitzero"`
	// Region is the part of every picture that the next batch renders; the zero value for all of it.
	Region raster.Part `json:"region,omitzero"`
	// Mattes are taken out of Cryptomattes by name, and Grades change finished pictures.
	Mattes []pass.Matte  `json:"mattes,omitempty"`
	Grades []grade.Grade `json:"grades,omitempty"`
	// Deliveries are recipes of what is handed on.
	Deliveries []Delivery `json:"deliveries,omitempty"`
	// Waivers set findings of the next batch aside.
	Waivers []Waiver `json:"waivers,omitempty"`
	// Volume is the code of the volume that files are written to, "" for the data folder.
	Volume string `json:"volume,omitempty"`
	// Quality is the code of the quality that the next batch is sent in.
	Quality string `json:"quality"`
}

// A SceneFile names the scene by its content: the file is kept under its hash and never changes.
type SceneFile struct {
	Name   string `json:"name"`   // as it was imported
	SHA256 string `json:"sha256"` // hexadecimal; empty for none
	Bytes  int64  `json:"bytes"`
	// Unit is the metres that one unit of the file is; 0 stands for 1, as glTF has it.
	Unit float64 `json:"unit,omitempty"`
	// Number counts the scenes of the file from 1; 0 stands for the one that the file marks as its own.
	Number int `json:"number,omitempty"`
	// Opaque describes a file that only an outside renderer understands; nil for one that is read here.
	Opaque *Opaque `json:"opaque,omitempty"`
	// Before is the SHA-256 of the file that this one replaced, empty for none.
	Before string `json:"before,omitempty"`
}

// Opaque is what is known of a scene file that cannot be drawn here: what a person says of it, or its cameras.
type Opaque struct {
	Cameras []string `json:"cameras"` // names that the renderer knows
	Seconds float64  `json:"seconds"` // for how long it moves, from its time 0
	// Read says that its cameras were read from the file itself, which is USD text: their names, lenses and moves.
	Read bool `json:"read,omitempty"`
}

// Limits of units, in metres.
const (
	LeastUnit = 1e-6
	MostUnit  = 1e6
)

// A Quality is switched as a whole.
type Quality struct {
	Code    string           `json:"code"`
	Name    string           `json:"name"`
	Scale   raster.Reduction `json:"scale"`   // of both edges of a size, rounded up
	Samples int              `json:"samples"` // along each edge of a pixel
	Filter  pixel.Filter     `json:"filter"`
	Effort  sampling.Effort  `json:"effort,omitzero"`
	// that a frame is rendered in; none for as many as its size and the memory ask for
	Tiles raster.Tiling `json:"tiles,omitzero"`
	// Memory is how many GB a frame, or a tile of it, should take beside the scene; 0 for UsualMemory.
	Memory      float64 `json:"memory,omitempty"`
	Deliverable bool    `json:"full"` // good enough to deliver
}

// Limits of a quality's memory, in GB.
const (
	UsualMemory = 2
	LeastMemory = 0.05
	MostMemory  = 1024
)

// MemoryBytes returns how many bytes a frame, or a tile of it, should take beside the scene.
func (q Quality) MemoryBytes() int64 {
	if q.Memory == 0 {
		return UsualMemory * 1e9
	}
	return int64(q.Memory * 1e9)
}

// A View is a camera under a look.
type View struct {
	Code string `json:"code"`
	Name string `json:"name"`
	// Camera is the name of a camera of the scene; "" for one that the view sets up alone.
	Camera string `json:"camera"`
	Look   string `json:"look"`
	// Setup is what the view changes of the scene's camera.
	Setup camera.Setup `json:"setup,omitzero"`
	// Sizes are those in which it shows something else, each once.
	Sizes []ViewSize `json:"sizes,omitempty"`
	// Rig is the code of the rig that places it, "" for none.
	Rig string `json:"rig,omitempty"`
	// Renderer is who renders it, by the name that the house knows it by; "" for who reads the scene.
	Renderer string `json:"renderer,omitempty"`
	// Working marks a view for looking round. No shot may use it, and it counts nowhere.
	Working bool `json:"working,omitempty"`
}

// A PassList is a named choice of passes.
type PassList struct {
	Code   string      `json:"code"`
	Name   string      `json:"name"`
	Passes []pass.Code `json:"passes"`
	// Choices are what is asked of single passes.
	Choices []PassChoice `json:"choices,omitempty"`
	// Depth says what the passes of depth and occlusion hold.
	Depth pass.DepthSettings `json:"depth,omitzero"`
}

// FindMatte returns the matte of a code.
func (p Production) FindMatte(code string) (pass.Matte, bool) {
	return find(p.Mattes, code, func(m pass.Matte) string { return m.Code })
}

// CheckGrades says what is wrong with the grades, or nil.
func (p Production) CheckGrades() error {
	return grade.CheckAll(p.Grades, func(code string) bool { _, ok := p.FindMatte(code); return ok })
}

// FindGrade returns the grade of a code.
func (p Production) FindGrade(code string) (grade.Grade, bool) {
	return find(p.Grades, code, func(g grade.Grade) string { return g.Code })
}

// KnownPasses returns every pass that a list may have.
func (p Production) KnownPasses() []pass.Pass { return pass.Known(p.LightGroups) }

// A PassChoice is what a pass list asks of one of its passes. The zero value asks for nothing.
type PassChoice struct {
	Pass pass.Code `json:"pass"`
	// OtherDepth stores colour in 32 bits, and data in 16, where files would do it the other way round.
	OtherDepth bool `json:"otherDepth,omitempty"`
	// OtherFilter averages a pass over pixels that has the value at their centres, and the other way round.
	OtherFilter bool `json:"otherFilter,omitempty"`
	// Outputs are the codes of those that it goes to; empty for all that the shot has.
	Outputs []string `json:"outputs,omitempty"`
}

// Choice returns what the list asks of a pass.
func (l PassList) Choice(code pass.Code) PassChoice {
	if i := slices.IndexFunc(l.Choices, func(c PassChoice) bool { return c.Pass == code }); i >= 0 {
		return l.Choices[i]
	}
	return PassChoice{Pass: code}
}

// Choose puts a choice in the place of the one there was.
func (l *PassList) Choose(c PassChoice) {
	l.Choices = slices.DeleteFunc(l.Choices, func(old PassChoice) bool { return old.Pass == c.Pass })
	if c.OtherDepth || c.OtherFilter || len(c.Outputs) > 0 {
		l.Choices = append(l.Choices, c)
	}
}

// SetPasses puts passes into the list, in the order of the catalogue; what was asked of others is forgotten.
func (l *PassList) SetPasses(codes []pass.Code) error {
	for _, code := range codes {
		if _, err := pass.Find(code); err != nil {
			return err
		}
	}
	l.Passes = pass.Sorted(codes)
	l.Choices = slices.DeleteFunc(l.Choices, func(c PassChoice) bool { return !slices.Contains(l.Passes, c.Pass) })
	return nil
}

// For returns the passes that go to an output.
func (l PassList) For(output string) []pass.Code {
	var codes []pass.Code
	for _, code := range pass.Sorted(l.Passes) {
		if c := l.Choice(code); len(c.Outputs) == 0 || slices.Contains(c.Outputs, output) {
			codes = append(codes, code)
		}
	}
	return codes
}

// Other returns those of the passes that a predicate of their choices holds for.
func (l PassList) Other(passes []pass.Code, holds func(PassChoice) bool) []pass.Code {
	var codes []pass.Code
	for _, code := range passes {
		if holds(l.Choice(code)) {
			codes = append(codes, code)
		}
	}
	return codes
}

// New returns a production with the usual standards, no scene and no shots.
func New(code, title string) Production {
	return Production{
		Code: code, Title: title, Version: 1,
		Standards: UsualStandards(),
		Looks:     []look.Look{look.Plain()},
		PassLists: []PassList{
			{Code: "minimum", Name: "Minimum", Passes: []pass.Code{pass.Beauty}, Depth: pass.UsualDepth()},
			{
				Code: "comp", Name: "Compositing", Depth: pass.UsualDepth(),
				Passes: []pass.Code{pass.Beauty, pass.Depth, pass.Normal, pass.Object},
			},
		},
		ShotDefaults: ShotDefaults{
			Sizes: []string{"scope"}, PassList: "minimum", Outputs: []string{output.Usual()[0].Code},
		},
		Quality: "draft",
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

// ShotViews returns the views that shots may use: all but those for work only.
func (p Production) ShotViews() []View {
	return slices.DeleteFunc(slices.Clone(p.Views), func(v View) bool { return v.Working })
}

// FindView returns the view of a code.
func (p Production) FindView(code string) (View, bool) {
	return find(p.Views, code, func(v View) string { return v.Code })
}

// FindPassList returns the pass list of a code.
func (p Production) FindPassList(code string) (PassList, bool) {
	return find(p.PassLists, code, func(l PassList) string { return l.Code })
}

// FindOutput returns the output of a code.
func (p Production) FindOutput(code string) (output.Output, bool) {
	return find(p.Outputs, code, func(o output.Output) string { return o.Code })
}
