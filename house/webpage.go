package house

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html/template"
	"image/jpeg"
	"image/png"
	"io"
	"math"
	"path"
	"slices"

	"reelhouse/core/delivery"
	"reelhouse/core/raster"
)

// What pictures of a page for the web are like.
const (
	pagePicture = 720 // pixels wide
	pageTurn    = 512 // pixels high
	pageQuality = 85
)

// A webShot is a picture of the page, with what it shows.
type webShot struct {
	Picture template.URL
	Part    delivery.Part
	Frame   int
}

// A webTurn is a turnaround of the page.
type webTurn struct {
	Title string
	Views []template.URL
}

// webPage makes the page for the web: one file, which needs no server.
func (m making) webPage(ctx context.Context, p delivery.Product) error {
	needed, err := m.missing(p.Files[0])
	if err != nil || !needed {
		return err
	}
	shots, turns := m.delivery.PageShots(), m.delivery.Turnarounds()
	all := len(shots)
	for _, t := range turns {
		all += len(t.Views)
	}
	m.told.begin("making the page for the web", all, "picture")
	page := struct {
		Delivery delivery.Delivery
		Number   int
		Shots    []webShot
		Turns    []webTurn
		Movies   []string
		Files    []string
	}{Delivery: m.delivery, Number: m.begun.Number}
	for _, s := range shots {
		part := m.delivery.Parts[s.Part]
		picture, err := m.embedded(ctx, s, func(aspect float64) raster.Size {
			width := min(pagePicture, part.Pictures.Size.Width)
			return raster.Size{Width: width, Height: max(1, int(math.Round(float64(width)/aspect)))}
		})
		if err != nil {
			return err
		}
		page.Shots = append(page.Shots, webShot{picture, part, part.Pictures.Files[s.File].Frame})
	}
	for _, t := range turns {
		turn := webTurn{Title: t.Title}
		for _, v := range t.Views {
			picture, err := m.embedded(ctx, v, func(aspect float64) raster.Size {
				high := min(pageTurn, m.delivery.Parts[v.Part].Pictures.Size.Height)
				return raster.Size{Width: max(1, int(math.Round(float64(high)*aspect))), Height: high}
			})
			if err != nil {
				return err
			}
			turn.Views = append(turn.Views, picture)
		}
		page.Turns = append(page.Turns, turn)
	}
	for _, product := range m.delivery.Products {
		for _, name := range product.Files {
			switch {
			case product.Kind == delivery.MovieFile && slices.Contains([]string{".mp4", ".webm"}, path.Ext(name)):
				page.Movies = append(page.Movies, name)
			case product.Kind != delivery.WebPage && path.Dir(path.Dir(name)) == ".":
				page.Files = append(page.Files, name)
			}
		}
	}
	var b bytes.Buffer
	if err := webPageText.Execute(&b, page); err != nil {
		return err
	}
	return m.write(p.Files[0], func(w io.Writer) error { _, err := b.WriteTo(w); return err })
}

// embedded returns a picture as an address that holds it.
func (m making) embedded(
	ctx context.Context, s delivery.Shown, sized func(aspect float64) raster.Size,
) (template.URL, error) {
	pictures := m.delivery.Parts[s.Part].Pictures
	img, err := m.house.pictureOf(ctx, *pictures, pictures.Files[s.File], sized(pictures.Aspect()))
	if err != nil {
		return "", err
	}
	shown, err := straight(img, m.view.For(pictures.Encoding))
	if err != nil {
		return "", err
	}
	var b bytes.Buffer
	kind := "jpeg"
	if shown.Opaque() {
		err = jpeg.Encode(&b, shown, &jpeg.Options{Quality: pageQuality})
	} else { // the page shows through
		kind, err = "png", png.Encode(&b, shown)
	}
	if err != nil {
		return "", err
	}
	m.told.further(1, 0)
	return template.URL("data:image/" + kind + ";base64," + base64.StdEncoding.EncodeToString(b.Bytes())), nil
}

// webPageText is complete in itself. Its script is a classic one: browsers load no modules from a disk.
var webPageText = template.Must(template.New("page").Funcs(template.FuncMap{
	"frames": func(n int) string {
		if n == 1 {
			return "1 frame"
		}
		return fmt.Sprintf("%d frames", n)
	},
}).Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{.Delivery.Title}}: {{.Delivery.Recipe.Name}} {{.Number}}</title>
<style>
  body { font: 16px/1.5 Georgia, serif; margin: 0 auto; max-width: 72rem; padding: 2rem; color: #1c2330;
    background: #f7f4ec; }
  h1 { font-weight: normal; margin: 0; }
  .shots { display: grid; grid-template-columns: repeat(auto-fill, minmax(20rem, 1fr)); gap: 1.5rem; }
  figure { margin: 0; }
  figure img, video { display: block; width: 100%; height: auto; }
  figcaption { font-size: .85rem; }
  .turn { touch-action: pan-y; cursor: ew-resize; user-select: none; display: inline-block; max-width: 100%; }
  .turn img { display: none; max-width: 100%; pointer-events: none; }
  .turn img.shown { display: block; }
  .turn:focus-visible { outline: 3px solid #0e5a66; }
</style>
<h1>{{.Delivery.Title}}</h1>
<p>{{.Delivery.Recipe.Name}}, number {{.Number}}{{with .Delivery.Recipe.For}}, for {{.}}{{end}} ·
  {{.Delivery.ShownRate}}</p>
{{range .Movies}}<figure>
  <video controls preload="metadata" src="{{.}}"></video><figcaption>{{.}}</figcaption>
</figure>
{{end}}
{{range .Turns}}<h2>{{.Title}}</h2>
<div class="turn" tabindex="0" role="slider" aria-label="{{.Title}}: drag, or press the arrow keys, to turn"
  aria-valuemin="1" aria-valuemax="{{len .Views}}" aria-valuenow="1">
  {{range $i, $v := .Views}}<img src="{{$v}}" alt=""{{if eq $i 0}} class="shown"{{end}}>{{end}}
</div>
<p>Drag to turn.</p>
{{end}}
<div class="shots">
{{range .Shots}}<figure>
  <img src="{{.Picture}}" alt="{{.Part.Shot}} {{.Part.ShotName}}, frame {{.Frame}}">
  <figcaption><b>{{.Part.Shot}} {{.Part.ShotName}}</b><br>{{.Part.View}}, {{.Part.Size}} {{.Part.Pixels}} ·
    {{.Part.Frames}}, {{frames .Part.Frames.Count}}{{range .Part.ApprovedBy}} · approved by {{.}}{{end}}</figcaption>
</figure>
{{end}}</div>
{{with .Files}}<p>Beside this page: {{range .}}<a href="{{.}}">{{.}}</a> {{end}}</p>{{end}}
<script>
document.querySelectorAll(".turn").forEach(function (turn) {
  var views = turn.querySelectorAll("img"), at = 0, from = null, began = 0;
  function show(n) {
    views[at].className = "";
    at = ((n % views.length) + views.length) % views.length;
    views[at].className = "shown";
    turn.setAttribute("aria-valuenow", at + 1);
  }
  turn.addEventListener("pointerdown", function (e) {
    from = e.clientX;
    began = at;
    try { turn.setPointerCapture(e.pointerId); } catch (none) { /* a pointer that is gone already */ }
  });
  turn.addEventListener("pointermove", function (e) {
    if (from !== null) show(began + Math.round((e.clientX - from) / Math.max(12, turn.clientWidth / views.length)));
  });
  ["pointerup", "pointercancel"].forEach(function (kind) {
    turn.addEventListener(kind, function () { from = null; });
  });
  turn.addEventListener("keydown", function (e) {
    if (e.key === "ArrowRight" || e.key === "ArrowLeft") {
      show(at + (e.key === "ArrowRight" ? 1 : -1));
      e.preventDefault();
    }
  });
});
</script>
</html>
`))
