package output

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/stamp"
	"reelhouse/web/kit"
)

// A shownOutput is an output with what it amounts to.
type shownOutput struct {
	output.Output
	Opened    bool
	Kind      output.Kind
	Encoding  output.Encoding
	Summary   string
	UsedBy    []string // codes of shots
	Files     int
	Bytes     float64 // one frame of the first sequence that uses it
	Wrong     []string
	CodeField kit.Field
	Title     kit.Field
	RoleField kit.Field
	Remove    kit.Action
	Kept      string // why it cannot be removed, "" for nothing
}

// Packed says in how many files its passes are.
func (o shownOutput) Packed() string {
	switch o.Packing {
	case output.Layers:
		return "in one file"
	case output.Files:
		return "a file each"
	}
	return "in groups"
}

// A formatChoice is a format with the reasons against it.
type formatChoice struct {
	output.Kind
	ID     string
	Chosen bool
	Cannot []string
}

// Facts says what the format can, in a line.
func (f formatChoice) Facts() string {
	say := func(can bool, yes, no string) string {
		if can {
			return yes
		}
		return no
	}
	return strings.Join([]string{
		say(f.Float, "float", "no float"), say(f.Layers, "layers", "no layers"),
		say(len(f.Alphas) > 0, "alpha", "no alpha"), say(f.Lossless, "lossless", "lossy"),
	}, " · ")
}

// A passChoice is a pass that an output may take.
type passChoice struct {
	pass.Pass
	Taken bool
	Group kit.Field // of the files that passes are put together in
}

// outputDetails are what is edited of one output.
type outputDetails struct {
	*shownOutput
	FormatEdit  kit.Edit
	Formats     []formatChoice
	WrongFormat string
	Fields      []kit.Field
	Pattern     kit.Field
	Only        kit.Edit
	WrongOnly   string
	Grouped     bool
	Passes      []passChoice
	Presets     kit.PresetsPage
	StampOn     kit.Field
	StampNote   string
	StampFields []kit.Field
	StampLive   string // address of the picture
	TextFields  []string
}

type outputPage struct {
	Outputs  []shownOutput
	Add      []kit.Action
	Measured bool
	Open     *outputDetails
	Volumes  []shownVolume
	// Of the names:
	Pattern kit.Field
	Names   namesPreview
	Rules   []kit.Field
	Fields  []string
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
		output.AsStandard: "as agreed", output.NoAlpha: "none", output.Straight: "straight",
		output.Premultiplied: "premultiplied",
	}
	placeNames = map[stamp.Place]string{
		stamp.TopLeft: "Top left", stamp.TopMiddle: "Top middle", stamp.TopRight: "Top right",
		stamp.BottomLeft: "Bottom left", stamp.BottomMiddle: "Bottom middle", stamp.BottomRight: "Bottom right",
	}
)

// roles are what outputs are for.
func roles() []kit.Option {
	return kit.Options([]output.Role{output.Master, output.Review, output.Proxy}, func(r output.Role) string {
		return string(r)
	})
}

// fill shows the outputs, the details of one, and the names of files.
func (a *page) fill(v *kit.View) error {
	p := v.Production.Production
	page := outputPage{
		Fields:   fieldsOf(v.Production.ValueKeys()),
		Names:    previewNames(p.Names.Pattern, v.Draft.Batch, -1, p.ValueKeys()),
		Measured: v.Draft.Measure.Frames > 0,
		Volumes:  a.volumesOf(v),
	}
	names := v.Part("names", "")
	page.Pattern = names.Field("pattern", "Name pattern", p.Names.Pattern).Mono(0)
	page.Rules = []kit.Field{
		names.Field("separator", "Separators", p.Names.Separator).Among([]kit.Option{
			{Value: "", Text: "unchanged"}, {Value: "_", Text: "underscore"}, {Value: "-", Text: "hyphen"},
		}),
		names.Field("case", "Case", p.Names.Case).Among([]kit.Option{
			{Value: "", Text: "unchanged"}, {Value: "lower", Text: "lower case"}, {Value: "upper", Text: "upper case"},
		}),
	}
	add := v.Part("output", "")
	for _, r := range roles() {
		page.Add = append(page.Add, add.Action("add", "+ "+r.Text, "Add an output for "+r.Text).With(r.Value))
	}
	for _, o := range p.Outputs {
		page.Outputs = append(page.Outputs, showOutput(v, o))
	}
	if i := slices.IndexFunc(page.Outputs, func(o shownOutput) bool { return o.Code == v.Open }); i >= 0 {
		v.Against = v.Query("against")
		page.Open = openOutput(v, &page.Outputs[i])
		var err error
		if page.Open.Presets, err = a.PresetsPage(v, preset.Output, v.Against, v.Open); err != nil {
			return err
		}
	}
	v.Page = page
	return nil
}

func showOutput(v *kit.View, o output.Output) shownOutput {
	p, d, part := v.Production.Production, v.Draft, v.Part("output", o.Code)
	s := shownOutput{
		Output: o, Kind: o.Format.Kind(), Encoding: p.EncodingOf(o), Opened: o.Code == v.Open,
		CodeField: part.Field("code", "Code", o.Code).Styled("mono font-bold", 7),
		Title:     part.Field("name", "Name", o.Name).Styled("", 8),
		RoleField: part.Field("role", "Role", o.Role).Among(roles()),
		Remove:    part.Action("remove", "Remove", "Remove this output"),
		Kept:      part.Wrong("remove"),
	}
	s.Summary = strings.Join([]string{depthNames[o.Depth], compressionNames[o.Compression]}, ", ")
	if scale := o.LevelScale(); scale.Leveled() {
		s.Summary += fmt.Sprintf(", %s %d", scale.Name, o.Level)
	}
	if o.Dither != pixel.NoDither {
		s.Summary += ", dithered"
	}
	for _, shot := range d.Set.Shots {
		if !shot.HasOutput(o.Code) {
			continue
		}
		s.UsedBy = append(s.UsedBy, shot.Shot.Code)
		if shot.List == nil {
			continue
		}
		for _, reason := range o.Cannot(o.Format, wants(p, shot.List.For(o.Code))) {
			if !slices.Contains(s.Wrong, reason) {
				s.Wrong = append(s.Wrong, reason)
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
		Agreed:      p.Agreed(),
		Transparent: p.Picture.Background.Kind == look.Transparent,
	}
}
