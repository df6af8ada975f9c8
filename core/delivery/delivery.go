// Package delivery is what is handed on: which files by a recipe, under which names, and what is wrong with them before
// anything is copied.
//
//	d, err := delivery.Plan(production, recipe, renderings)
//	if d.Refused() { ... }
//	changes := delivery.Compare(former.Files, d.Files)
package delivery

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/mhl"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/review"
	"reelhouse/core/stamp"
)

// A Rendering is a sequence that was rendered, as the record has it.
type Rendering struct {
	ID       int64
	Batch    int64
	Name     string // of the batch
	Plan     plan.Batch
	Spec     plan.Sequence
	Frames   map[int]Rendered
	Verdicts []review.Verdict // in the order in which they were given
}

// Rendered is a frame of a rendering.
type Rendered struct {
	State queue.State
	Files []RecordedFile // of a frame that is good
}

// A RecordedFile is a finished file, as it was judged.
type RecordedFile struct {
	Path   string
	Bytes  int64
	SHA256 string
}

// A File is a file that is handed on: where it lies, and where it goes to in the delivery.
type File struct {
	From   string `json:"from"` // below the output
	To     string `json:"to"`
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
	Part   int    `json:"part"` // of Delivery.Parts
	Output string `json:"output"`
	Frame  int    `json:"frame"`
	// Form is of Delivery.Forms, counted from 1, for a file that is encoded anew: SHA256 is of what it is made from,
	// then, and Bytes are those of what it is made from. 0 is for a file that is copied.
	Form int    `json:"form,omitempty"`
	How  string `json:"how,omitempty"` // hash of the form
	// Leader says that it is a frame of the leader, which says what the sequence is.
	Leader bool `json:"leader,omitempty"`
}

// A Form is how files are encoded anew.
type Form struct {
	Encoding output.Encoding `json:"encoding"`
	From     []pass.Code     `json:"from"` // what the files hold that it is made from
	Passes   []pass.Code     `json:"passes"`
	Source   raster.Size     `json:"source"`
	Size     raster.Size     `json:"size"`
	Kernel   pixel.Kernel    `json:"kernel"`
	Stamp    stamp.Stamp     `json:"stamp,omitzero"` // with fields
}

// A Part is what a delivery has of one rendering.
type Part struct {
	Shot       string      `json:"shot"`
	ShotName   string      `json:"shotName"`
	View       string      `json:"view"`
	Made       string      `json:"made,omitempty"`  // "" for rendered pictures, or such as grade-night
	Angle      int         `json:"angle,omitempty"` // in its rig, degrees from the first view
	Size       string      `json:"size"`
	Pixels     raster.Size `json:"pixels"`
	Version    int         `json:"version"`
	Batch      string      `json:"batch"`
	Rendering  int64       `json:"rendering"`
	Frames     frame.Set   `json:"frames"`
	Missing    frame.Set   `json:"missing,omitzero"`
	First      int         `json:"first"`   // number of the first frame in the delivery
	Formats    []string    `json:"formats"` // of its outputs, in words
	ApprovedBy []string    `json:"approvedBy,omitempty"`
	// Pictures are what is made of it is made from; nil where nothing is made.
	Pictures *Pictures `json:"pictures,omitempty"`
}

// Title names a part.
func (p Part) Title() string {
	return strings.TrimSpace(p.Shot + " " + p.View + " " + p.Size + " " + p.Made)
}

// Along returns the folder in which a part has what goes along with its files.
func (p Part) Along() string { return alongFolder + clean(strings.ReplaceAll(p.Title(), " ", "_")) }

const alongFolder = "layers/"

// A Finding is something that is wrong with a delivery.
type Finding struct {
	Refuses bool   `json:"refuses"`
	Part    string `json:"part,omitempty"` // its title, "" for all of it
	Text    string `json:"text"`
}

// A Delivery is what is handed on.
type Delivery struct {
	Production string              `json:"production"`
	Title      string              `json:"title"`
	Recipe     production.Delivery `json:"recipe"`
	Rate       frame.Rate          `json:"rate"`
	Parts      []Part              `json:"parts"`
	Files      []File              `json:"files"`
	Findings   []Finding           `json:"findings"`
	Products   []Product           `json:"products,omitempty"`
	// Viewing is through which products show light, with the look-up table that it may be.
	Viewing pixel.Viewing        `json:"viewing,omitempty"`
	LUTs    []production.LUTFile `json:"luts,omitempty"`
	Movies  []Movie              `json:"movies,omitempty"`
	Forms   []Form               `json:"forms,omitempty"` // of files that are encoded anew
	// Attached are small files that go along, such as cameras.
	Attached []Attached `json:"attached,omitempty"`
}

// An Attached is a small file that goes along, as it was when the delivery was frozen.
type Attached struct {
	Name string `json:"name"`
	Data []byte `json:"data"`
}

// Bytes returns how many bytes all files have that are handed on as they are.
func (d Delivery) Bytes() (n int64) {
	for _, f := range d.Files {
		if f.Form == 0 {
			n += f.Bytes
		}
	}
	return n
}

// Only returns the delivery with those of its files and products alone that have one of some names.
func (d Delivery) Only(names []string) Delivery {
	wanted := map[string]bool{}
	for _, name := range names {
		wanted[name] = true
	}
	d.Files = slices.DeleteFunc(slices.Clone(d.Files), func(f File) bool { return !wanted[f.To] })
	d.Products = slices.DeleteFunc(slices.Clone(d.Products), func(p Product) bool {
		return !slices.ContainsFunc(p.Files, func(name string) bool { return wanted[name] })
	})
	d.Attached = slices.DeleteFunc(slices.Clone(d.Attached), func(a Attached) bool { return !wanted[a.Name] })
	return d
}

// Contents returns all that is handed on: the files, and those of products, which have the hash of what they are made
// from.
func (d Delivery) Contents() []File {
	all := slices.Clone(d.Files)
	for _, p := range d.Products {
		for _, name := range p.Files {
			all = append(all, File{To: name, SHA256: p.Of})
		}
	}
	for _, a := range d.Attached {
		sum := sha256.Sum256(a.Data)
		all = append(all, File{To: a.Name, SHA256: hex.EncodeToString(sum[:])})
	}
	return all
}

// Refused reports whether the delivery may not go out as it is.
func (d Delivery) Refused() bool {
	return slices.ContainsFunc(d.Findings, func(f Finding) bool { return f.Refuses })
}

func (d *Delivery) find(refuses bool, part, text string, args ...any) {
	d.Findings = append(d.Findings, Finding{refuses, part, fmt.Sprintf(text, args...)})
}

// Plan returns what a recipe hands on of renderings, which come with the newest first: of each shot, view and size the
// newest that has frames of the kind that is asked for. Trials are left out.
func Plan(p production.Production, recipe production.Delivery, all []Rendering) (Delivery, error) {
	d := Delivery{
		Production: p.Code, Title: p.Title, Recipe: recipe, Rate: p.Rate, Viewing: p.Picture.Viewing,
	}
	if f, ok := p.LUTOf(d.Viewing); ok {
		d.LUTs = []production.LUTFile{f}
	}
	var pattern *naming.Pattern
	if recipe.Pattern != "" {
		parsed, err := naming.Parse(recipe.Pattern)
		if err != nil {
			return d, err
		}
		pattern = &parsed
	}
	wanted := func(codes []string, code string) bool { return len(codes) == 0 || slices.Contains(codes, code) }
	chosen := map[string]bool{}
	shots := map[string]bool{}
	var picked []Rendering
	for _, r := range all {
		made := r.Spec.Made()
		key := r.Spec.Shot + "/" + r.Spec.View + "/" + r.Spec.SizeCode + "/" + made
		if r.Plan.Trial != plan.Whole || !recipe.Holds(made) || !wanted(recipe.Shots, r.Spec.Shot) ||
			!wanted(recipe.Sizes, r.Spec.SizeCode) ||
			chosen[key] ||
			r.ready(recipe.Approved).Empty() {
			continue
		}
		chosen[key], shots[r.Spec.Shot] = true, true
		picked = append(picked, r)
	}
	place := func(code string) int {
		return slices.IndexFunc(p.Shots, func(s production.Shot) bool { return s.Code == code })
	}
	slices.SortStableFunc(picked, func(a, b Rendering) int {
		return cmp.Or(place(a.Spec.Shot)-place(b.Spec.Shot), strings.Compare(a.Spec.View, b.Spec.View),
			strings.Compare(a.Spec.SizeCode, b.Spec.SizeCode), strings.Compare(a.Spec.Made(), b.Spec.Made()))
	})
	for _, code := range recipe.Shots {
		if !shots[code] {
			d.find(true, code, "nothing of this shot is %s", kindOf(recipe))
		}
	}
	d.findMade(picked)
	if len(picked) == 0 {
		d.find(true, "", "nothing that is asked for is %s", kindOf(recipe))
	}
	for _, r := range picked {
		if err := d.add(p, r, pattern); err != nil {
			return d, err
		}
	}
	d.plan(p)
	d.check(p)
	d.fold()
	return d, nil
}

// findMade says which mattes and grades were not made.
func (d *Delivery) findMade(picked []Rendering) {
	for _, made := range d.Recipe.Made {
		if made == production.Rendered {
			continue
		}
		of := func(r Rendering) string { return r.Spec.Shot + " " + r.Spec.View + " " + r.Spec.SizeCode }
		there := map[string]bool{}
		for _, r := range picked {
			if r.Spec.Made() == made {
				there[of(r)] = true
			}
		}
		if len(there) == 0 && len(picked) > 0 {
			d.find(true, "", "nothing of %s is %s; make it at the Screening station", made, kindOf(d.Recipe))
			continue
		}
		for _, r := range picked {
			if r.Spec.Made() == "" && !there[of(r)] {
				d.find(false, of(r), "no %s of it is %s", made, kindOf(d.Recipe))
			}
		}
	}
}

// kindOf says of which kind frames are that a recipe asks for.
func kindOf(recipe production.Delivery) string {
	if recipe.Approved {
		return "approved"
	}
	return "good"
}

// ready returns the frames of a rendering that may be handed on.
func (r Rendering) ready(approved bool) frame.Set {
	var numbers []int
	on := review.On(r.Verdicts, review.Approved)
	for n, f := range r.Frames {
		if f.State == queue.Good && (!approved || on.Contains(n)) {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers)
	return frame.SetOf(numbers)
}

// add adds what the delivery has of a rendering.
func (d *Delivery) add(p production.Production, r Rendering, pattern *naming.Pattern) error {
	s := r.Spec
	asked := s.Frames
	if d.Recipe.OwnFrames {
		asked = s.Own
	}
	ready := r.ready(d.Recipe.Approved)
	part := Part{
		Shot: s.Shot, ShotName: s.ShotName, View: s.View, Angle: s.Angle, Size: s.SizeCode, Pixels: s.Size,
		Made: s.Made(), Version: r.Plan.VersionOf(s), Batch: r.Name, Rendering: r.ID, Frames: asked,
		Missing: asked.Minus(ready),
		First:   asked.First(),
	}
	if d.Recipe.First != nil {
		part.First = *d.Recipe.First
	}
	for _, v := range review.Standing(r.Verdicts) {
		by := review.Name(v.By)
		if v.Kind == review.Approved && !v.Frames.Common(asked).Empty() && !slices.Contains(part.ApprovedBy, by) {
			part.ApprovedBy = append(part.ApprovedBy, by)
		}
	}
	title := part.Title()
	if !part.Missing.Empty() {
		d.find(true, title, "%s: %s", counted(part.Missing.Count(), "frame is not "+kindOf(d.Recipe),
			"frames are not "+kindOf(d.Recipe)), part.Missing)
	}
	if again := asked.Common(review.On(r.Verdicts, review.Retake)); !again.Empty() {
		d.find(true, title, "a retake was asked for of %s", again)
	}
	if r.Plan.Rate != p.Rate {
		d.find(true, title, "it was rendered for %s, and the production has %s now", r.Plan.Rate, p.Rate)
	}
	if shot, ok := p.FindShot(s.Shot); !ok {
		d.find(false, title, "the production has no such shot any more")
	} else if s.Step <= 1 && !shot.Frames.Equal(s.Own) {
		d.find(false, title, "it was rendered as %s, and the shot has %s now", s.Own, shot.Frames)
	}
	if floor := p.Floor; s.Size.Width < floor.Width || s.Size.Height < floor.Height {
		d.find(false, title, "it has %s, below the delivery minimum of %d × %d", s.Size, floor.Width, floor.Height)
	}
	if quality := r.Plan.QualityOf(s); !quality.Deliverable {
		d.find(false, title, "it was rendered as %s, which is no final quality", quality.Name)
	}
	var order []int
	retimed := d.ShownRate() != d.Rate
	if !d.Recipe.NoFiles {
		order = d.retime(part, asked)
	}
	index := len(d.Parts)
	taken := s.Files
	if d.Recipe.As != "" && !d.Recipe.NoFiles {
		taken = d.sources(p, r, title)
	}
	for _, f := range taken {
		if len(d.Recipe.Outputs) > 0 && !slices.Contains(d.Recipe.Outputs, f.Output) {
			continue
		}
		if d.Recipe.As != "" && !d.Recipe.NoFiles {
			d.reencode(p, r, &part, f, order, ready, pattern)
			continue
		}
		described := f.Output + ": " + f.Encoding.Described()
		if !slices.Contains(part.Formats, described) {
			part.Formats = append(part.Formats, described)
			if f.Role == output.Master && !f.Encoding.Lossless() {
				d.find(
					false,
					title,
					"output %s is a master, and loses something as %s",
					f.Output,
					f.Encoding.Described(),
				)
			}
		}
		if d.Recipe.NoFiles {
			continue
		}
		to := f.Path
		if pattern != nil {
			to = r.Plan.Named(s, f, *pattern)
		}
		for at, n := range order {
			as := n
			if d.Recipe.First != nil || retimed {
				as = part.First + at
			}
			from := f.Path.Frame(n)
			i := slices.IndexFunc(r.Frames[n].Files, func(f RecordedFile) bool { return f.Path == from })
			if !ready.Contains(n) || i < 0 {
				continue
			}
			_, name := naming.SplitVolume(to.Frame(as))
			file := r.Frames[n].Files[i]
			d.Files = append(d.Files, File{
				From: from, To: name, Bytes: file.Bytes, SHA256: file.SHA256, Part: index, Output: f.Output, Frame: n,
			})
		}
	}
	if len(part.Formats) == 0 {
		d.find(false, title, "it has none of the outputs that are asked for")
	}
	if d.Recipe.Makes() && part.Made == d.shown() {
		if part.Pictures = picturesOf(r, d.Recipe, asked.Common(ready)); part.Pictures == nil {
			d.find(true, title, "it has no pictures of the beauty pass that sheets could be made of")
		}
	}
	d.Parts = append(d.Parts, part)
	return nil
}

// shown returns of which pictures sheets and movies are made, as Part.Made: of the rendered ones if it holds those, and
// otherwise of the first grade.
func (d *Delivery) shown() string {
	if d.Recipe.Holds("") {
		return ""
	}
	i := slices.IndexFunc(d.Recipe.Made, func(made string) bool {
		return strings.HasPrefix(made, production.GradeMade)
	})
	return d.Recipe.Made[max(0, i)]
}

func counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// check finds what is wrong with all of it together.
func (d *Delivery) check(p production.Production) {
	if len(d.Parts) > 0 && len(d.Files) == 0 && len(d.Products) == 0 &&
		d.Recipe.Cameras+d.Recipe.Cut == "" && !d.Refused() {
		d.find(true, "", "it has no files")
	}
	versions := map[int]bool{}
	for _, part := range d.Parts {
		versions[part.Version] = true
	}
	if len(versions) > 1 {
		d.find(false, "", "it mixes versions: %s", join(versions))
	}
	seen := map[string]File{}
	for _, product := range d.Products {
		for _, name := range product.Files {
			seen[strings.ToLower(name)] = File{From: "the " + string(product.Kind)}
		}
	}
	for _, name := range []string{"cameras.glb", "cameras.usda", "cut.otio", "cut.edl"} {
		if d.Recipe.Cameras+d.Recipe.Cut != "" {
			seen[name] = File{From: "what goes along"}
		}
	}
	for _, f := range d.Files {
		if d.Recipe.Layers && strings.HasPrefix(strings.ToLower(f.To), alongFolder) {
			d.find(true, "", "%s lies where what the layers are goes along; let the pattern give it another name", f.To)
			return
		}
		if kept(f.To) {
			d.find(true, "", "%s is kept for what proves it; let the pattern give it another name", f.To)
			return
		}
		key := strings.ToLower(f.To)
		if other, taken := seen[key]; taken {
			d.find(
				true,
				"",
				"%s and %s would both be called %s; let the pattern tell them apart",
				other.From,
				f.From,
				f.To,
			)
			return // one says enough
		}
		seen[key] = f
	}
}

// alike is of how many parts the same is said of each; of more, it is said once.
const alike = 2

// fold says once what is wrong with many parts.
func (d *Delivery) fold() {
	of := map[Finding][]string{} // parts by what is said of them
	for _, f := range d.Findings {
		if f.Part != "" {
			key := Finding{f.Refuses, "", f.Text}
			of[key] = append(of[key], f.Part)
		}
	}
	var folded []Finding
	for _, f := range d.Findings {
		key := Finding{f.Refuses, "", f.Text}
		switch parts := of[key]; {
		case f.Part == "" || len(parts) <= alike:
			folded = append(folded, f)
		case f.Part == parts[0]:
			text := fmt.Sprintf("%s and %d more: %s", parts[0], len(parts)-1, f.Text)
			folded = append(folded, Finding{f.Refuses, "", text})
		}
	}
	d.Findings = folded
}

// kept reports whether a name is one of those by which a delivery proves itself.
func kept(name string) bool {
	return slices.Contains(strings.Split(strings.ToLower(name), "/"), mhl.Dir) || strings.HasPrefix(name, "manifest.")
}

func join(versions map[int]bool) string {
	var all []int
	for v := range versions {
		all = append(all, v)
	}
	slices.Sort(all)
	words := make([]string, len(all))
	for i, v := range all {
		words[i] = fmt.Sprintf("v%03d", v)
	}
	return strings.Join(words, ", ")
}

// Changes are how the files of a delivery differ from those of the one before.
type Changes struct {
	Added, Changed, Gone []string // names in the delivery
	Same                 int
}

// sum returns what tells whether a file is another one. One that is encoded anew is by its form, too.
func (f File) sum() string { return f.SHA256 + f.How }

// Compare returns how files differ from those of the delivery before, by their names and contents.
func Compare(before, now []File) (c Changes) {
	was := map[string]string{}
	for _, f := range before {
		was[f.To] = f.sum()
	}
	for _, f := range now {
		sum, there := was[f.To]
		switch {
		case !there:
			c.Added = append(c.Added, f.To)
		case sum != f.sum():
			c.Changed = append(c.Changed, f.To)
		default:
			c.Same++
		}
		delete(was, f.To)
	}
	for name := range was {
		c.Gone = append(c.Gone, name)
	}
	slices.Sort(c.Gone)
	return c
}
