package web

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/stamp"
	"reelhouse/house"
)

// shownOutput is an output with what it amounts to.
type shownOutput struct {
	output.Output
	Kind     output.Kind
	Encoding output.Encoding
	Summary  string
	UsedBy   []string // codes of shots
	Files    int
	Bytes    float64 // one frame of the first sequence that uses it
	Wrong    []string
}

// formatChoice is a format with the reasons against it.
type formatChoice struct {
	output.Kind
	Chosen bool
	Cannot []string
}

type passChoice struct {
	pass.Pass
	Taken bool
	Group string
}

type placeChoice struct {
	Place stamp.Place
	Name  string
	Text  string
}

type outputPage struct {
	Outputs []shownOutput
	Roles   []option
	Packing []option
	// Of the output whose details are shown:
	Open         *shownOutput
	Formats      []formatChoice
	Depths       []option
	Compressions []option
	Alphas       []option
	Curves       []option
	Kernels      []option
	Dithers      []option
	Passes       []passChoice
	Places       []placeChoice
	TextFields   []string
	Preview      string // query of the stamp's picture
	Presets      presetsPage
	// Of the names:
	Fields     []string
	Separators []option
	Cases      []option
	Names      namesPreview
	Measured   bool
}

var (
	depthNames = map[output.Depth]string{
		output.ByPass: "half for colour, float for data", output.Float: "float for everything",
		output.Eight: "8 bit", output.Ten: "10 bit", output.Sixteen: "16 bit",
	}
	ditherNames = map[pixel.Dither]string{
		pixel.NoDither: "to the nearest code", pixel.OrderedDither: "dithered, an even pattern",
	}
	compressionNames = map[output.Compression]string{
		output.None: "uncompressed", output.RLE: "RLE, runs", output.PIZ: "PIZ, wavelets, 32 lines at a time",
		output.ZIPS: "ZIPS, a line at a time", output.ZIP: "ZIP, 16 lines at a time",
		output.PXR24: "PXR24, floats to 24 bits", output.B44: "B44, lossy, of a fixed size",
		output.B44A: "B44A, lossy, flat parts smaller", output.DWAA: "DWAA, lossy cosines, 32 lines at a time",
		output.DWAB:    "DWAB, lossy cosines, 256 lines at a time",
		output.Deflate: "deflate", output.LZW: "LZW", output.DCT: "DCT, a quarter of the colour (4:2:0)",
		output.DCTFull: "DCT, all of the colour (4:4:4)",
	}
	alphaNames = map[output.Alpha]string{
		output.Agreed: "as agreed", output.NoAlpha: "none", output.Straight: "straight",
		output.Premultiplied: "premultiplied",
	}
	placeNames = map[stamp.Place]string{
		stamp.TopLeft: "Top left", stamp.TopMiddle: "Top middle", stamp.TopRight: "Top right",
		stamp.BottomLeft: "Bottom left", stamp.BottomMiddle: "Bottom middle", stamp.BottomRight: "Bottom right",
	}
)

func fillOutput(a *app, v *view) error {
	p := v.Production.Production
	page := outputPage{
		Roles: []option{
			{string(output.Master), "master"},
			{string(output.Review), "review"},
			{string(output.Proxy), "proxy"},
		},
		Packing: []option{
			{string(output.Layers), "all passes in one file"},
			{string(output.Files), "one file a pass"},
			{string(output.Groups), "a file for each group"},
		},
		Fields: naming.FieldNames(), TextFields: naming.TextFields(),
		Separators: []option{{"", "as they stand"}, {"_", "underscore"}, {"-", "hyphen"}},
		Cases:      []option{{"", "as they stand"}, {"lower", "lower case"}, {"upper", "upper case"}},
		Names:      previewNames(p.Names.Pattern, v.Draft.Batch, -1),
		Measured:   v.Draft.Measure.Frames > 0,
	}
	for _, o := range p.Outputs {
		page.Outputs = append(page.Outputs, showOutput(p, v.Draft, o))
	}
	if i := slices.IndexFunc(page.Outputs, func(o shownOutput) bool { return o.Code == v.Open }); i >= 0 {
		page.open(p, &page.Outputs[i])
		page.Preview = fmt.Sprintf("output=%s&seen=%d", v.Open, v.Production.Number)
		v.Against = v.query("against")
		var err error
		if page.Presets, err = a.presetsPage(p, preset.Output, v.Against, v.Open); err != nil {
			return err
		}
	}
	v.Page = page
	return nil
}

func showOutput(p production.Production, d house.Draft, o output.Output) shownOutput {
	s := shownOutput{Output: o, Kind: o.Format.Kind(), Encoding: p.EncodingOf(o)}
	s.Summary = strings.Join([]string{depthNames[o.Depth], compressionNames[o.Compression]}, ", ")
	if scale := o.LevelScale(); scale.Leveled() {
		s.Summary += fmt.Sprintf(", %s %d", scale.Name, o.Level)
	}
	if o.Dither != pixel.NoDither {
		s.Summary += ", dithered"
	}
	for _, shot := range p.Shots {
		if slices.Contains(p.OutputsOf(shot), o.Code) {
			s.UsedBy = append(s.UsedBy, shot.Code)
			list, _ := p.FindPassList(p.PassListOf(shot))
			for _, reason := range o.Cannot(o.Format, wants(p, list.For(o.Code))) {
				if !slices.Contains(s.Wrong, reason) {
					s.Wrong = append(s.Wrong, reason)
				}
			}
		}
	}
	correction := 1.0
	if d.Measure.Frames > 0 {
		correction = d.Measure.BytesPerModelled
	}
	for _, q := range d.Batch.Sequences {
		bytes := 0.0
		for _, f := range q.Files {
			if f.Output == o.Code {
				bytes += f.Encoding.Bytes(f.Passes, f.Size)
				s.Files += q.Frames.Count()
			}
		}
		if s.Bytes == 0 {
			s.Bytes = bytes * correction
		}
	}
	return s
}

func wants(p production.Production, passes []pass.Code) output.Wants {
	return output.Wants{
		Passes:      passes,
		Alpha:       p.Picture.Alpha,
		Display:     p.Picture.Display,
		Transparent: p.Picture.Background.Kind == look.Transparent,
	}
}

// open fills in what the details of one output need.
func (page *outputPage) open(p production.Production, o *shownOutput) {
	page.Open = o
	var passes []pass.Code
	for _, shot := range p.Shots {
		if slices.Contains(p.OutputsOf(shot), o.Code) {
			list, _ := p.FindPassList(p.PassListOf(shot))
			passes = append(passes, list.For(o.Code)...)
		}
	}
	for _, k := range output.Kinds() {
		page.Formats = append(page.Formats, formatChoice{k, k.Format == o.Format, o.Cannot(k.Format, wants(p, passes))})
	}
	for _, d := range o.Kind.Depths {
		page.Depths = append(page.Depths, option{string(d), depthNames[d]})
	}
	for _, c := range o.Kind.Compressions {
		page.Compressions = append(page.Compressions, option{string(c), compressionNames[c]})
	}
	if len(o.Kind.Alphas) > 0 {
		page.Alphas = append(
			page.Alphas,
			option{"", "as agreed: " + alphaNames[p.EncodingOf(output.Output{Format: o.Format, Depth: o.Depth}).Alpha]},
		)
	}
	for _, a := range append([]output.Alpha{output.NoAlpha}, o.Kind.Alphas...) {
		page.Alphas = append(page.Alphas, option{string(a), alphaNames[a]})
	}
	if len(o.Kind.Curves) > 1 {
		text := "as agreed: " + p.Picture.Display.Name()
		if own := p.EncodingOf(output.Output{Format: o.Format, Depth: o.Depth}).Curve; own != p.Picture.Display {
			text = "its usual: " + own.Name()
		}
		page.Curves = append(page.Curves, option{"", text})
	}
	for _, c := range o.Kind.Curves {
		page.Curves = append(page.Curves, option{string(c), c.Name()})
	}
	for _, d := range pixel.Dithers() {
		page.Dithers = append(page.Dithers, option{string(d), ditherNames[d]})
	}
	for _, k := range pixel.Kernels() {
		page.Kernels = append(page.Kernels, option{string(k), k.Name()})
	}
	for _, described := range p.KnownPasses() {
		choice := passChoice{Pass: described, Taken: len(o.Only) == 0 || slices.Contains(o.Only, described.Code)}
		for _, g := range o.Groups {
			if slices.Contains(g.Passes, described.Code) {
				choice.Group = g.Name
			}
		}
		page.Passes = append(page.Passes, choice)
	}
	for _, place := range stamp.Places() {
		page.Places = append(page.Places, placeChoice{place, placeNames[place], o.Stamp.Line(place)})
	}
}
