package standards

import (
	"cmp"
	"math"
	"slices"
	"strconv"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/lens"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/web/kit"
)

type standardsPage struct {
	General     []kit.Field
	Version     kit.Field
	NextVersion kit.Action
	Sizes       []sizeRow
	Shelves     []shelf // of published sizes that can be added
	OwnSize     kit.Action
	Details     *sizeDetails // of the size that is open
	Drawing     sizesDrawing
	Front       string // whose safe areas are drawn, "" for the first
	Compared    []comparedSize
	CameraName  string
	Qualities   []qualityCard
	AddQuality  kit.Action
	Picture     []kit.Field
	Colour      *kit.Field // of a plain background
	LUTs        []laidLUT
	Curves      []kit.Option // that look-up tables may take
	Primaries   []kit.Option // likewise
	Minimum     []kit.Field
	Count       string // the production's frame rate
	Counts      []string
	Clock       shownClock
	Retime      shownRetime
	Presets     kit.PresetsPage
	Others      []string
	SetUps      []kit.Option
}

// fill shows sizes, time, picture, qualities and presets.
func (a *page) fill(v *kit.View) error {
	p := v.Production
	page := standardsPage{
		Count: p.Clock().Count.String(),
		SetUps: []kit.Option{
			{Value: string(production.TakeStandards), Text: "standards, outputs and names"},
			{Value: string(production.TakeScene), Text: "scene"},
			{Value: string(production.TakeViews), Text: "views and looks"},
			{Value: string(production.TakePasses), Text: "pass lists"},
			{Value: string(production.TakeShots), Text: "shots"},
		},
		Clock: showClock(p.Code, p.Clock(), "frame", strconv.Itoa(p.FirstFrame)),
		Retime: showRetime(
			p.Code, frame.Retime{From: p.Rate, To: frame.Rate{Numerator: 30, Denominator: 1}, Count: 120}, "nearest",
		),
		CameraName: "a camera of 16:9",
		AddQuality: v.Part("quality", "").Action("add", "+ quality", "Add a quality"),
	}
	for _, c := range frame.Counts() {
		page.Counts = append(page.Counts, c.String())
	}
	if !slices.Contains(page.Counts, page.Count) {
		page.Counts = append(page.Counts, page.Count)
	}
	page.general(v)
	page.sizes(v)
	page.qualities(v)
	page.picture(v)
	a.luts(&page, v)
	angles := lens.AnglesOf(2*math.Atan(math.Tan(lens.FieldOfView(lens.BackWidth, 35)/2)*9/16), 16.0/9)
	if s, err := a.House.Assets.Scene(p.Scene); err == nil && len(p.Views) > 0 {
		if source, err := camera.SourceOf(s, p.Views[0].Camera); err == nil {
			c := source.Optics
			angles, page.CameraName = lens.AnglesOf(c.Up, c.Aspect), "view "+p.Views[0].Code
		}
	}
	page.Drawing = drawSizes(p.Sizes, v.Open)
	page.Compared = compareSizes(p.Sizes, v.Open, angles)
	var err error
	if page.Presets, err = a.PresetsPage(v, preset.Standards, p.Preset, ""); err != nil {
		return err
	}
	page.Others, err = a.others(p.Code)
	v.Page = page
	return err
}

// general fills in what holds for the whole production.
func (page *standardsPage) general(v *kit.View) {
	p, part := v.Production, v.Part("production", "")
	page.General = []kit.Field{
		part.Field("title", "Title", p.Title),
		part.Field("rate", "Frame rate, or a fraction", page.Count).Mono(0).Suggest("rates"),
		part.Field("firstFrame", "First frame, at 0 s", p.FirstFrame).Mono(0),
		part.Field("firstTimecode", "First timecode", p.FirstTimecode).Mono(0),
		part.Field("handles", "Handles, frames", p.Handles).Mono(0),
	}
	page.Version = part.Field("version", "Version rendered next", p.Version).Mono(0)
	page.NextVersion = part.Action(
		"next-version", "Next version", "The next version of which no file was ever sent",
	)
	page.NextVersion.ID = "next-version"
}

// picture fills in how pictures are encoded, and what a delivery asks for at least.
func (page *standardsPage) picture(v *kit.View) {
	p, part, minimum := v.Production, v.Part("picture", ""), v.Part("minimum", "")
	alphas := []kit.Option{
		{Value: string(output.Premultiplied), Text: "premultiplied"},
		{Value: string(output.Straight), Text: "straight"},
	}
	bits := []kit.Option{
		{Value: "0", Text: "any"}, {Value: "8", Text: "8"}, {Value: "16", Text: "16"}, {Value: "32", Text: "32"},
	}
	page.Picture = []kit.Field{
		part.Field("display", "Display encode", p.Picture.Display).Among(kit.Options(pixel.Curves(), pixel.Curve.Name)),
		part.Field("viewing", "Viewing transform, in Screening", p.Picture.Viewing).
			Among(kit.Options(p.Viewings(), pixel.Viewing.Name)),
		part.Field("primaries", "Primaries of linear files", cmp.Or(p.Picture.Primaries, pixel.BT709)).
			Among(kit.Options(pixel.AllPrimaries(), pixel.Primaries.Name)),
		part.Field("alpha", "Alpha, where a format can do both", p.Picture.Alpha).Among(alphas),
		part.Field("background", "Background", p.Picture.Background.Kind).Among(kit.Backgrounds()),
	}
	if p.Picture.Background.Kind == look.PlainColour {
		colour := part.Field("colour", "Colour, sRGB", p.Picture.Background.Colour)
		page.Colour = &colour
	}
	page.Minimum = []kit.Field{
		minimum.Field("width", "Width, px", p.Floor.Width).Mono(0),
		minimum.Field("height", "Height, px", p.Floor.Height).Mono(0),
		minimum.Field("bits", "Bits per channel", p.Floor.Bits).Among(bits),
		minimum.Tick("lossless", "lossless masters", p.Floor.Lossless),
	}
}
