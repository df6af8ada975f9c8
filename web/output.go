package web

import (
	"errors"
	"fmt"
	"image/png"
	"math"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/core/imagefile"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/screening"
	"reelhouse/core/stamp"
	"reelhouse/farm"
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
	depthNames       = map[output.Depth]string{output.ByPass: "half for colour, float for data", output.Float: "float for everything", output.Eight: "8 bit", output.Sixteen: "16 bit"}
	compressionNames = map[output.Compression]string{output.None: "none", output.ZIPS: "ZIPS, a line at a time", output.ZIP: "ZIP, 16 lines at a time", output.Deflate: "deflate", output.DCT: "DCT, lossy"}
	alphaNames       = map[output.Alpha]string{output.Agreed: "as agreed", output.NoAlpha: "none", output.Straight: "straight", output.Premultiplied: "premultiplied"}
	placeNames       = map[stamp.Place]string{stamp.TopLeft: "Top left", stamp.TopMiddle: "Top middle", stamp.TopRight: "Top right", stamp.BottomLeft: "Bottom left", stamp.BottomMiddle: "Bottom middle", stamp.BottomRight: "Bottom right"}
)

func fillOutput(a *app, v *view) error {
	p := v.Production.Production
	page := outputPage{
		Roles:   []option{{string(output.Master), "master"}, {string(output.Review), "review"}, {string(output.Proxy), "proxy"}},
		Packing: []option{{string(output.Layers), "all passes in one file"}, {string(output.Files), "one file a pass"}, {string(output.Groups), "a file for each group"}},
		Fields:  naming.FieldNames(), TextFields: naming.TextFields(),
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
	if o.Compression != output.None {
		s.Summary += fmt.Sprintf(", %s %d", s.Kind.LevelName, o.Level)
	}
	for _, shot := range p.Shots {
		if slices.Contains(shot.Outputs, o.Code) {
			s.UsedBy = append(s.UsedBy, shot.Code)
			list, _ := p.FindPassList(shot.PassList)
			for _, reason := range o.Cannot(o.Format, wants(p, list.Passes)) {
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
	return output.Wants{Passes: passes, Alpha: p.Picture.Alpha, Display: p.Picture.Display, Transparent: p.Picture.Background.Kind == production.Transparent}
}

// open fills in what the details of one output need.
func (page *outputPage) open(p production.Production, o *shownOutput) {
	page.Open = o
	var passes []pass.Code
	for _, shot := range p.Shots {
		if slices.Contains(shot.Outputs, o.Code) {
			list, _ := p.FindPassList(shot.PassList)
			passes = append(passes, list.Passes...)
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
		page.Alphas = append(page.Alphas, option{"", "as agreed: " + alphaNames[p.EncodingOf(output.Output{Format: o.Format, Depth: o.Depth}).Alpha]})
	}
	for _, a := range append([]output.Alpha{output.NoAlpha}, o.Kind.Alphas...) {
		page.Alphas = append(page.Alphas, option{string(a), alphaNames[a]})
	}
	if len(o.Kind.Curves) > 1 {
		page.Curves = append(page.Curves, option{"", "as agreed: " + p.Picture.Display.Name()})
	}
	for _, c := range o.Kind.Curves {
		page.Curves = append(page.Curves, option{string(c), c.Name()})
	}
	for _, described := range pass.Catalogue() {
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

// A namesPreview is what a pattern would make.
type namesPreview struct {
	Text               string
	Wrong              string // the pattern's fault, or ""
	Before, Bad, After string // the pattern, with the faulty character set apart
	Blocks             []naming.Block
	Completions        []string
	Start, End         int // bytes of the text that a completion replaces
	Tree               *naming.Folder
	Proof              naming.Proof
	Longest            string
	First, Last        string
	Problems           []string // what some system would not take
	Sequences          int
	Short              string // a pair of frame numbers of different lengths, "" for none
	Ready              bool   // there is a batch to show
}

// mostProblems is how many troubles of portability are listed.
const mostProblems = 8

// previewNames lists what a batch's files are called. caret is where a person types in the pattern, in bytes,
// or -1.
func previewNames(text string, b plan.Batch, caret int) namesPreview {
	n := namesPreview{Text: text, Blocks: naming.Blocks(text), Sequences: len(b.Sequences), Ready: len(b.Sequences) > 0}
	if caret >= 0 {
		n.Completions, n.Start, n.End = naming.Complete(text, caret, naming.FieldNames())
	}
	runs := b.Runs()
	n.Tree, n.Proof = naming.Tree(runs).Compact(), b.Prove()
	for _, run := range runs {
		first, last := run.Path.Frame(run.Frames.First()), run.Path.Frame(run.Frames.Last())
		if n.First == "" {
			n.First = first
		}
		n.Last = last
		if len(last) > len(n.Longest) {
			n.Longest = last
		}
		if len(first) != len(last) && n.Short == "" {
			n.Short = fmt.Sprintf("%d and %d", run.Frames.First(), run.Frames.Last())
		}
		for _, problem := range naming.Portable(last) {
			if len(n.Problems) < mostProblems && !slices.Contains(n.Problems, problem) {
				n.Problems = append(n.Problems, problem)
			}
		}
	}
	return n
}

// names previews the paths that a pattern would make, before it is kept.
func (a *app) names(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	tried := p.Production
	tried.Names.Pattern = c.QueryParam("value")
	caret, err := strconv.Atoi(c.QueryParam("caret"))
	if err != nil {
		caret = -1
	}
	n := namesPreview{Text: tried.Names.Pattern, Blocks: naming.Blocks(tried.Names.Pattern)}
	if _, err := naming.Parse(tried.Names.Pattern); err != nil {
		n.Completions, n.Start, n.End = naming.Complete(n.Text, caret, naming.FieldNames())
		n.wrong(err)
	} else if batch, err := plan.Build(tried, plan.Measure{}); err == nil {
		n = previewNames(tried.Names.Pattern, batch, caret)
	} else {
		n.Wrong = err.Error()
	}
	return c.Render(http.StatusOK, "names", n)
}

// wrong takes the pattern apart at a mistake.
func (n *namesPreview) wrong(err error) {
	n.Wrong = err.Error()
	var se *naming.SyntaxError
	if !errors.As(err, &se) || se.Offset > len(n.Text) {
		return
	}
	n.Before, n.Bad = n.Text[:se.Offset], "⎵" // the end
	if rest := []rune(n.Text[se.Offset:]); len(rest) > 0 {
		n.Bad, n.After = string(rest[:1]), string(rest[1:])
	}
}

// stampPreview answers with a real frame of the production under an output's stamp, changed by what is
// being typed.
func (a *app) stampPreview(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	o, ok := p.FindOutput(c.QueryParam("output"))
	if !ok {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such output.")
	}
	s := o.Stamp
	s.On = true
	for _, place := range stamp.Places() {
		if typed := c.QueryParams()[string(place)]; len(typed) > 0 {
			s = s.With(place, typed[0])
		}
	}
	for name, into := range map[string]*float64{"percent": &s.Percent, "opacity": &s.Opacity} {
		if v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(c.QueryParam(name), "%")), 64); err == nil && !math.IsNaN(v) {
			*into = v
			if name == "opacity" {
				*into = v / 100
			}
		}
	}
	if err := s.Check(); err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
	img, value, n, err := a.stampExample(c, p.Production, o)
	if err != nil {
		return err
	}
	filled, err := s.Fill(n, p.Version, value)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
	img = img.Clone()
	if err := filled.Draw(img, 1); err != nil {
		return err
	}
	shown, err := screening.Display(img, pass.Beauty, 1, 1)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", "no-store")
	return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(c.Response(), shown)
}

// stampExample returns a picture to stamp, a small one rendered for the purpose, of the first shot that has
// the output or of the first view, and what its fields say.
func (a *app) stampExample(c *echo.Context, p production.Production, o output.Output) (*pixel.Image, func(string) string, int, error) {
	shot := production.Shot{Code: "010", Name: "Example"}
	for _, s := range p.Shots {
		if slices.Contains(s.Outputs, o.Code) || shot.View == "" {
			if shot = s; slices.Contains(s.Outputs, o.Code) {
				break
			}
		}
	}
	if shot.View == "" && len(p.Views) > 0 {
		shot.View = p.Views[0].Code
	}
	v, ok := p.FindView(shot.View)
	l, laid := p.FindLook(v.Look)
	s, err := a.House.Scene(p.Scene)
	if !ok || !laid || err != nil || s.FindCamera(v.Camera) == scene.None {
		return nil, nil, 0, echo.NewHTTPError(http.StatusNotFound, "There is no view to show the stamp on yet.")
	}
	n := p.FirstFrame
	if !shot.Frames.Empty() {
		n = shot.Frames.At(shot.Frames.Count() / 2)
	}
	named := raster.Named{Code: "hd", Size: raster.Size{Width: 1920, Height: 1080}}
	if len(shot.Sizes) > 0 {
		named, _ = p.FindSize(shot.Sizes[0])
	}
	size := raster.Size{Width: max(1, int(float64(named.Width)*named.Pixel()+0.5)), Height: named.Height}.Within(stampEdge)
	path, err := a.Thumbs.File(c.Request().Context(), farm.Thumb{Scene: p.Scene.SHA256, Camera: v.Camera, Look: l, Rate: p.Rate, FirstFrame: p.FirstFrame, Frame: n, Size: size, Fit: named.Fit, Background: p.Picture.Background})
	if err != nil {
		return nil, nil, 0, err
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, nil, 0, err
	}
	picture, err := imagefile.Decode(data)
	if err != nil {
		return nil, nil, 0, err
	}
	clock := p.Clock()
	quality, _ := p.FindQuality(p.Quality)
	values := map[string]string{
		"production": p.Code, "title": p.Title, "shot": shot.Code, "shotname": shot.Name, "view": v.Code, "look": l.Name, "size": named.Code, "output": o.Code,
		"pass": string(pass.Beauty), "quality": quality.Name, "timecode": clock.Timecode(n).String(), "seconds": fmt.Sprintf("%.3f s", clock.Seconds(n)),
		"date": time.Now().UTC().Format(time.DateOnly), "lens": house.LensName(s, v.Camera), "rendertime": "12.3 s", "note": shot.Note,
	}
	return picture.Image, func(field string) string { return values[field] }, n, nil
}

// stampEdge is the longer edge of the picture on which a stamp is shown.
const stampEdge = 640
