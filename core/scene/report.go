package scene

import (
	"fmt"
	"math"
	"sort"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
)

// A Report is what a person wants to know of a scene before rendering it.
type Report struct {
	Name       string          `json:"name"`
	Scenes     []string        `json:"scenes"` // of the file; this is the one of Number, from 1
	Number     int             `json:"sceneNumber"`
	Generator  string          `json:"generator,omitempty"`
	Extensions []string        `json:"extensions,omitempty"`
	Size       geom.Vec        `json:"size"`       // metres across, up and deep, at the beginning
	Comparison string          `json:"comparison"` // what is about as large
	Nodes      int             `json:"nodes"`
	Triangles  int             `json:"triangles"`
	Objects    []ObjectReport  `json:"objects"` // with most triangles first
	Moving     int             `json:"moving"`  // objects
	Cameras    []CameraReport  `json:"cameras"`
	Lights     []LightReport   `json:"lights"`
	Textures   []TextureReport `json:"textures"`
	Materials  int             `json:"materials"`
	Begin      float64         `json:"begin"` // seconds of the first and the last key of the animation
	End        float64         `json:"end"`
	Findings   []Finding       `json:"findings"`
	Notes      []string        `json:"notes"` // what is left aside or simplified
	Drawn      bool            `json:"usable"`
	Wrong      int             `json:"wrong"` // findings
}

// An ObjectReport is all that shows one mesh.
type ObjectReport struct {
	Name      string  `json:"name"`
	Shown     int     `json:"shown"` // how often
	Triangles int     `json:"triangles"`
	Share     float64 `json:"share"` // of all triangles
	Moves     bool    `json:"moves"`
	Deforms   bool    `json:"deforms"`
}

// A CameraReport is a camera of the scene.
type CameraReport struct {
	Name   string   `json:"name"`
	Across float64  `json:"across"`           // degrees; 0 for an orthographic one
	Focal  float64  `json:"focal"`            // millimetres on a back 36 mm wide; 0 for an orthographic one
	Height float64  `json:"height,omitempty"` // metres, of an orthographic one
	Moves  bool     `json:"moves"`
	Place  geom.Vec `json:"place"` // metres, at the beginning
}

// A LightReport is a light of the scene.
type LightReport struct {
	Name      string    `json:"name"`
	Kind      LightKind `json:"kind"`
	Intensity float64   `json:"intensity"`
	Unit      string    `json:"unit"`
	Moves     bool      `json:"moves"`
}

// A TextureReport is an image of the scene.
type TextureReport struct {
	Name   string `json:"name"`
	File   string `json:"file,omitempty"`
	Type   string `json:"type,omitempty"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
	Bytes  int64  `json:"bytes"`
	Fault  string `json:"fault,omitempty"`
}

// A Finding is something to look at, or to mend.
type Finding struct {
	Wrong bool   `json:"wrong"` // it will show in pictures or mattes
	Place string `json:"place"`
	Text  string `json:"text"`
}

// Likely sizes of scenes, in metres.
const (
	smallScene = 0.05
	largeScene = 20_000.0
)

// Report looks through the scene.
func (s *Scene) Report() Report {
	pose := s.At(s.begin())
	r := Report{
		Name: s.Name, Scenes: s.Scenes, Number: s.Number, Generator: s.Extras.Generator,
		Extensions: s.Extras.Extensions, Notes: s.Notes, Materials: len(s.Materials),
		Nodes: len(pose.Shown), Begin: s.begin(), End: s.Duration(), Findings: []Finding{}, Objects: []ObjectReport{},
		Cameras: []CameraReport{}, Lights: []LightReport{}, Textures: []TextureReport{},
	}
	if s.Unit != 0 {
		r.Nodes-- // the one that scales is not the file's
	}
	r.Size = s.size()
	r.Comparison = Comparison(r.Size.Max())
	moving := s.Moving()
	objects := map[int]*ObjectReport{}
	for _, i := range pose.Shown {
		n := s.Nodes[i]
		if n.Mesh != None {
			o := objects[n.Mesh]
			if o == nil {
				o = &ObjectReport{Name: s.Meshes[n.Mesh].Name}
				objects[n.Mesh] = o
			}
			if o.Name == "" {
				o.Name = n.Name
			}
			o.Shown++
			o.Triangles += s.Meshes[n.Mesh].Triangles()
			o.Moves = o.Moves || moving[i]
			o.Deforms = o.Deforms || s.Deforms(i)
			if moving[i] {
				r.Moving++
			}
		}
		if n.Camera != None {
			c := s.Cameras[n.Camera]
			out := CameraReport{Name: n.Name, Height: c.Height, Moves: moving[i], Place: pose.World[i].Origin}
			if c.Height == 0 {
				angles := lens.AnglesOf(c.Up, c.Aspect)
				out.Across, out.Focal = lens.Degrees(angles.Across), angles.FocalLength()
			}
			r.Cameras = append(r.Cameras, out)
		}
		if n.Light != None {
			l := s.Lights[n.Light]
			unit := "cd"
			if l.Kind == Sun {
				unit = "lx"
			}
			r.Lights = append(r.Lights, LightReport{l.Name, l.Kind, l.Intensity, unit, moving[i]})
		}
	}
	for _, o := range objects {
		r.Triangles += o.Triangles
		r.Objects = append(r.Objects, *o)
	}
	for i := range r.Objects {
		r.Objects[i].Share = float64(r.Objects[i].Triangles) / float64(max(1, r.Triangles))
	}
	sort.Slice(r.Objects, func(i, j int) bool {
		a, b := r.Objects[i], r.Objects[j]
		return a.Triangles > b.Triangles || a.Triangles == b.Triangles && a.Name < b.Name
	})
	for _, m := range s.Images {
		r.Textures = append(
			r.Textures, TextureReport{m.Name, m.File, m.Type, m.Size.X, m.Size.Y, int64(m.Bytes), m.Fault},
		)
	}
	r.look(s, pose)
	r.Drawn = r.Usable()
	for _, f := range r.Findings {
		if f.Wrong {
			r.Wrong++
		}
	}
	return r
}

func (r *Report) find(wrong bool, place, format string, args ...any) {
	r.Findings = append(r.Findings, Finding{wrong, place, fmt.Sprintf(format, args...)})
}

// look finds what is wrong or unlikely.
func (r *Report) look(s *Scene, pose Pose) {
	if len(r.Cameras) == 0 {
		r.find(false, "scene", "There is no camera in it; a view can have one of its own.")
	}
	switch size := r.Size.Max(); {
	case r.Triangles == 0:
		r.find(true, "scene", "There is nothing in it that could be seen.")
	case size < smallScene:
		r.find(true, "scene", "Everything lies within %s: the file may be in another unit than metres.", Length(size))
	case size > largeScene:
		r.find(true, "scene", "It is %s large: the file may be in another unit than metres.", Length(size))
	}
	for _, m := range s.Images {
		if m.Fault != "" {
			r.find(true, "texture "+m.Name, "It is drawn without: %s.", m.Fault)
		}
	}
	names, cameras := map[string]int{}, map[string]int{}
	nameless := 0
	for _, i := range pose.Shown {
		n := s.Nodes[i]
		switch {
		case n.Camera != None:
			cameras[n.Name]++
		case n.Mesh != None && n.Name == "":
			nameless++
		case n.Mesh != None:
			names[n.Name]++
		}
		if n.Mesh != None && n.Skin == None && math.Abs(pose.World[i].Determinant()) < 1e-18 {
			r.find(true, "object "+n.Name, "It is scaled to nothing and cannot be seen.")
		}
	}
	r.same(cameras, "camera", "%d cameras have this name; a view finds only the first.")
	r.same(names, "object", "%d objects have this name; a matte cannot tell them apart.")
	if nameless > 0 {
		r.find(false, "objects", "%d have no name; a matte cannot tell them apart.", nameless)
	}
	flat, flatMeshes := 0, []string(nil)
	for _, mesh := range s.Meshes {
		if n := mesh.flat(); n > 0 {
			flat += n
			flatMeshes = append(flatMeshes, mesh.Name)
		}
		for _, p := range mesh.Parts {
			if m := p.Material; m != None && len(p.UV) == 0 && s.Materials[m].Base != nil {
				r.find(
					true, "mesh "+mesh.Name, "Its material %q has a texture, and it has no texture coordinates.",
					s.Materials[m].Name,
				)
			}
		}
	}
	if flat > 0 {
		r.find(false, "meshes", "%d triangles have no area and are left out; they lie in %s.", flat, some(flatMeshes))
	}
}

// some names a few.
func some(names []string) string {
	const most = 5
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}

func (r *Report) same(counts map[string]int, what, text string) {
	var names []string
	for name, n := range counts {
		if n > 1 {
			names = append(names, name)
		}
	}
	sort.Strings(names)
	for _, name := range names {
		r.find(true, strings.TrimSpace(what+" "+name), text, counts[name])
	}
}

// flat counts triangles without area.
func (m Mesh) flat() int {
	n := 0
	for _, p := range m.Parts {
		for i := 0; i+2 < len(p.Indices); i += 3 {
			a, b, c := p.Positions[p.Indices[i]], p.Positions[p.Indices[i+1]], p.Positions[p.Indices[i+2]]
			if b.Sub(a).Cross(c.Sub(a)).Length() == 0 {
				n++
			}
		}
	}
	return n
}

// begin returns the time in seconds of the first key of the animation, 0 for a still scene.
func (s *Scene) begin() float64 {
	if len(s.Channels) == 0 {
		return 0
	}
	first := math.Inf(1)
	for _, c := range s.Channels {
		first = min(first, c.Times[0])
	}
	return first
}

// size returns how large the scene is at the beginning, in metres.
func (s *Scene) size() geom.Vec {
	box := s.Bounds(s.At(s.begin()))
	if box.Empty() {
		return geom.Vec{}
	}
	return box.Size()
}

// Usable reports whether pictures can be made of it.
func (r Report) Usable() bool { return r.Triangles > 0 }

// Drawable says why no picture can be made of a file that holds points and lines alone, or nil.
func (s *Scene) Drawable() error {
	triangles, loose := 0, 0
	for _, m := range s.Meshes {
		triangles += m.Triangles()
		loose += m.Loose
	}
	if triangles > 0 || loose == 0 {
		return nil
	}
	return fmt.Errorf(
		"it holds points and lines alone, which have no surface that could be rendered; export meshes of triangles",
	)
}

// yardsticks are lengths that everybody knows, in metres; common knowledge.
var yardsticks = []struct {
	metres float64
	what   string
}{
	{
		0.001, "a pinhead",
	}, {0.015, "a fingernail"}, {0.1, "a hand's width"}, {0.3, "a sheet of paper"}, {1, "a table"}, {2, "a door"},
	{4.5, "a car"}, {12, "a bus"},
	{
		25, "a swimming pool",
	}, {100, "a football pitch"}, {400, "a long train"}, {800, "eight football pitches"},
	{2000, "twenty football pitches"},
	{8000, "a high mountain"}, {40000, "a large city"}, {1e6, "a country"},
}

// Comparison says what is about as large as a length in metres.
func Comparison(metres float64) string {
	if metres <= 0 {
		return "nothing"
	}
	best := yardsticks[0]
	for _, y := range yardsticks {
		if math.Abs(math.Log(metres/y.metres)) < math.Abs(math.Log(metres/best.metres)) {
			best = y
		}
	}
	return best.what
}

// Length returns a length in metres in words that suit it.
func Length(metres float64) string {
	switch {
	case metres < 0.1:
		return fmt.Sprintf("%.3g mm", 1000*metres)
	case metres < 10:
		return fmt.Sprintf("%.2f m", metres)
	case metres < 10_000:
		return fmt.Sprintf("%.0f m", metres)
	}
	return fmt.Sprintf("%.4g km", metres/1000)
}
