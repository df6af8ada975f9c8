package output

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/naming"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// A Role says what an output is for.
type Role string

// The roles. The delivery minimum holds for masters.
const (
	Master Role = "master"
	Review Role = "review"
	Proxy  Role = "proxy"
)

// A Packing says how passes go into files.
type Packing string

// The packings.
const (
	Layers Packing = "layers" // all passes of a frame in one file
	Files  Packing = "files"  // one file a pass
	Groups Packing = "groups" // a file for each group
)

// A Group is passes that go into one file. Passes in no group have a file each.
type Group struct {
	Name   string      `json:"name"`
	Passes []pass.Code `json:"passes"`
}

// An Output is one of the forms in which a shot's frames are stored.
type Output struct {
	Code        string      `json:"code"`
	Name        string      `json:"name"`
	Role        Role        `json:"role"`
	Format      Format      `json:"format"`
	Depth       Depth       `json:"depth"`
	Compression Compression `json:"compression"`
	Level       int         `json:"level"`
	Alpha       Alpha       `json:"alpha,omitempty"` // Agreed stands for the production's
	Curve       pixel.Curve `json:"curve,omitempty"` // empty stands for the production's
	// Primaries are those of linear light; empty stands for the production's. Codes for a display have none but BT.709.
	Primaries pixel.Primaries `json:"primaries,omitempty"`
	// Viewed sends light through the production's viewing transform before it is encoded for a display.
	Viewed  bool    `json:"viewed,omitempty"`
	Packing Packing `json:"packing"`
	Groups  []Group `json:"groups,omitempty"`
	// Only holds the passes that this output takes of a shot's list; empty for all of them.
	Only  []pass.Code      `json:"only,omitempty"`
	Scale raster.Reduction `json:"scale"` // of what is rendered
	// Dither scatters the rounding to whole numbers.
	Dither pixel.Dither `json:"dither,omitempty"`
	// Kernel resamples to Scale; empty stands for DefaultKernel. Unfiltered passes take the nearest pixel.
	Kernel pixel.Kernel `json:"kernel,omitempty"`
	// Pattern names the files; empty stands for the production's pattern.
	Pattern string      `json:"pattern,omitempty"`
	Stamp   stamp.Stamp `json:"stamp"`
	// StampMaster must be set to stamp a master.
	StampMaster bool `json:"stampMaster,omitempty"`
}

// DefaultKernel is what pictures are reduced by unless an output overrides it.
const DefaultKernel = pixel.BoxKernel

// ResampledBy returns the kernel that reduces the output.
func (o Output) ResampledBy() pixel.Kernel {
	if o.Kernel == "" {
		return DefaultKernel
	}
	return o.Kernel
}

// Usual returns the three outputs that most productions have: a master, pictures for review, and small ones.
func Usual() []Output {
	of := func(code, name string, role Role, format Format) Output {
		e := format.Usual()
		return Output{
			Code:        code,
			Name:        name,
			Role:        role,
			Format:      format,
			Depth:       e.Depth,
			Compression: e.Compression,
			Level:       e.Level,
			Packing:     Layers,
			Scale:       raster.Reduction{Percent: 100},
		}
	}
	master, review, proxy := of("master", "Master", Master, EXR), of(
		"review", "Review", Review, PNG,
	), of("proxy", "Proxy", Proxy, JPEG)
	review.Depth, review.Alpha, review.Only, review.Stamp = Eight, NoAlpha, []pass.Code{pass.Beauty}, stamp.Usual()
	proxy.Only, proxy.Scale = []pass.Code{pass.Beauty}, raster.Reduction{Percent: 50}
	return []Output{master, review, proxy}
}

// Switch returns the output in another format, with what that format cannot do put to its usual.
func (o Output) Switch(f Format) Output {
	k, usual := f.Kind(), f.Usual()
	if f == o.Format || k.Name == "" {
		return o
	}
	o.Format = f
	if !slices.Contains(k.Depths, o.Depth) {
		o.Depth = usual.Depth
	}
	if !slices.Contains(k.Compressions, o.Compression) {
		o.Compression = usual.Compression
	}
	o.Level = f.Scale(o.Compression).Used
	if o.Encoding(Agreed{}).Floating() {
		o.Dither = pixel.NoDither
	}
	if !slices.Contains(k.Primaries, o.Primaries) {
		o.Primaries = ""
	}
	o.Viewed = o.Viewed && !o.Encoding(Agreed{}).Floating()
	if o.Packing == Layers && !k.Layers && len(o.Only) != 1 {
		o.Packing = Files
	}
	if o.Alpha != AsStandard && o.Alpha != NoAlpha && !slices.Contains(k.Alphas, o.Alpha) {
		o.Alpha = AsStandard
	}
	if o.Curve != "" && !slices.Contains(k.Curves, o.Curve) {
		o.Curve = ""
	}
	return o
}

// Agreed is what a production has agreed on for all outputs that say nothing else.
type Agreed struct {
	Alpha     Alpha           // empty for premultiplied
	Display   pixel.Curve     // empty for sRGB
	Primaries pixel.Primaries // of linear light; empty for BT.709
	Viewing   pixel.Viewing   // the viewing transform, for outputs that are viewed
	LUT       LUT             // what that is, if it is a look-up table
}

// Encoding settles what the output leaves to the production: its alpha, its display encode and the primaries of its
// linear light. Where the format cannot do what was agreed, it does what it can: OpenEXR stays linear, PNG stays
// straight, and what holds no linear light, or cannot say its primaries, has those of BT.709.
func (o Output) Encoding(agreed Agreed) Encoding {
	k := o.Format.Kind()
	e := Encoding{
		Format:      o.Format,
		Depth:       o.Depth,
		Compression: o.Compression,
		Level:       o.Level,
		Alpha:       o.Alpha,
		Curve:       o.Curve,
		Dither:      o.Dither,
	}
	if e.Alpha == AsStandard {
		e.Alpha = cmp.Or(agreed.Alpha, Premultiplied)
		if !slices.Contains(k.Alphas, e.Alpha) {
			was := e.Alpha
			e.Alpha = NoAlpha
			if was != NoAlpha && len(k.Alphas) > 0 {
				e.Alpha = k.Alphas[0]
			}
		}
	}
	if e.Curve == "" {
		if e.Curve = cmp.Or(agreed.Display, pixel.SRGB); e.Floating() {
			e.Curve = pixel.Linear
		}
		if len(k.Curves) > 0 && !slices.Contains(k.Curves, e.Curve) {
			e.Curve = k.Curves[0]
		}
	}
	if e.Primaries = o.Primaries; e.Primaries == "" && e.Floating() && slices.Contains(k.Primaries, agreed.Primaries) {
		e.Primaries = agreed.Primaries
	}
	if e.Primaries == pixel.BT709 {
		e.Primaries = ""
	}
	if o.Viewed && !e.Floating() {
		switch {
		case agreed.LUT.SHA256 != "":
			if e.LUT = agreed.LUT; e.Curve == pixel.Linear { // its codes are those of a display
				e.Curve = pixel.SRGB
			}
		case agreed.Viewing == pixel.ViewSoft:
			e.Viewing, e.Curve = pixel.ViewSoft, pixel.SRGB
		default:
			e.Curve = agreed.Viewing.Curve()
		}
	}
	if !o.LevelScale().Leveled() {
		e.Level = 0
	}
	return e
}

// LevelScale returns what the output's level means.
func (o Output) LevelScale() Scale { return o.Format.Scale(o.Compression) }

// A Bundle is the passes of one file.
type Bundle struct {
	Label  string // the pass, the group, or "all"
	Passes []pass.Code
}

// Bundles sorts the passes of a shot into files. Passes that the output does not take are left out.
func (o Output) Bundles(passes []pass.Code) []Bundle {
	taken := pass.Sorted(passes)
	if len(o.Only) > 0 {
		taken = slices.DeleteFunc(taken, func(c pass.Code) bool { return !slices.Contains(o.Only, c) })
	}
	var bundles []Bundle
	add := func(label string, passes ...pass.Code) {
		if len(passes) == 1 {
			label = string(passes[0])
		}
		if len(passes) > 0 {
			bundles = append(bundles, Bundle{label, passes})
		}
	}
	if o.Packing == Layers {
		add("all", taken...)
		return bundles
	}
	grouped := map[pass.Code]bool{}
	if o.Packing == Groups {
		for _, g := range o.Groups {
			var members []pass.Code
			for _, code := range taken {
				if slices.Contains(g.Passes, code) && !grouped[code] {
					members, grouped[code] = append(members, code), true
				}
			}
			add(g.Name, members...)
		}
	}
	for _, code := range taken {
		if !grouped[code] {
			add("", code)
		}
	}
	return bundles
}

// Wants is what a production asks of its outputs.
type Wants struct {
	Passes      []pass.Code
	Agreed      Agreed
	Transparent bool // the background is, so coverage means something
}

// Cannot returns why files of a format cannot hold what is wanted of the output: each reason once.
func (o Output) Cannot(f Format, w Wants) []string {
	if f.Kind().Name == "" {
		return []string{fmt.Sprintf("there is no file format %q", f)}
	}
	wantsAlpha := o.Alpha == Straight || o.Alpha == Premultiplied || o.Alpha == AsStandard && w.Transparent
	packing := o.Packing
	o = o.Switch(f)
	o.Packing = packing // the loss of layers is to be said
	e := o.Encoding(w.Agreed)
	var reasons []string
	add := func(err error) {
		if err != nil && !slices.Contains(reasons, err.Error()) {
			reasons = append(reasons, err.Error())
		}
	}
	var all []pass.Code
	for _, b := range o.Bundles(w.Passes) {
		if all = append(all, b.Passes...); len(b.Passes) > 1 && !f.Kind().Layers {
			add(e.Holds(b.Passes))
		}
	}
	add(f.Kind().holdsNumbers(all))
	if wantsAlpha && len(f.Kind().Alphas) == 0 {
		add(fmt.Errorf("%s has no alpha", f.Kind().Name))
	}
	if o.Role == Master && !f.Kind().Lossless {
		add(fmt.Errorf("%s loses a little of the picture, and this is a master", f.Kind().Name))
	} else if o.Role == Master && !e.Lossless() {
		add(fmt.Errorf("%s compression loses a little of the picture, and this is a master",
			strings.ToUpper(string(e.Compression))))
	}
	return reasons
}

// Check says what is wrong with the output by itself, and in which field; nil for nothing.
func (o Output) Check() (field string, err error) {
	e := o.Encoding(Agreed{})
	if err := e.Check(); err != nil {
		return "format", err
	}
	if o.Alpha != AsStandard && o.Alpha != NoAlpha && o.Alpha != Straight && o.Alpha != Premultiplied {
		return "alpha", fmt.Errorf("there is no alpha %q", o.Alpha)
	}
	switch o.Role {
	case Master, Review, Proxy:
	default:
		return "role", fmt.Errorf("there is no role %q", o.Role)
	}
	switch o.Packing {
	case Layers, Files, Groups:
	default:
		return "packing", fmt.Errorf("there is no packing %q", o.Packing)
	}
	if o.Packing == Layers && len(o.Only) != 1 && !o.Format.Kind().Layers {
		return "packing", fmt.Errorf("%s has no layers; choose one file a pass, or a single pass", o.Format.Kind().Name)
	}
	names := map[string]bool{"all": true}
	for _, g := range o.Groups {
		if !naming.ValidCode(g.Name) || names[g.Name] {
			return "groups", fmt.Errorf(
				"the group name %q must be 1 to 32 letters, digits, hyphens or underscores, and stand only once",
				g.Name,
			)
		}
		names[g.Name] = true
		for _, code := range g.Passes {
			if _, err := pass.Find(code); err != nil {
				return "groups", fmt.Errorf("group %s: %w", g.Name, err)
			}
			if names[string(code)] {
				return "groups", fmt.Errorf("the pass %s is in two groups, or a group bears its name", code)
			}
			names[string(code)] = true
		}
	}
	for _, code := range o.Only {
		if _, err := pass.Find(code); err != nil {
			return "only", err
		}
	}
	switch {
	case o.Viewed && o.Role == Master:
		return "viewed", fmt.Errorf("a master keeps light as it is; only review and proxy outputs are viewed")
	case o.Viewed && e.Floating():
		return "viewed", fmt.Errorf("floats carry light as it is; a viewing transform is for codes of a display")
	}
	if err := o.ResampledBy().Check(); err != nil {
		return "kernel", err
	}
	if o.Pattern != "" {
		if _, err := naming.Parse(o.Pattern); err != nil {
			return "pattern", err
		}
	}
	if o.Stamp.On && o.Role == Master && !o.StampMaster {
		return "stamp", fmt.Errorf("a master is not stamped unless that is asked for by itself")
	}
	if err := o.Stamp.Check(); err != nil {
		return "stamp", err
	}
	return "", nil
}
