package main

import (
	"testing"

	"github.com/chromedp/chromedp"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// A still that is larger than any screen is shown smaller; enlarged, it has the pixels of its file.
func TestALargeStillIsEnlargedInItsOwnPixels(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Qualities[0].Scale = raster.Reduction{Percent: 100}
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames, p.Shots[0].Sizes = frame.SetOf([]int{1001}), []string{"scope"}
		for i := range p.Sizes {
			if p.Sizes[i].Code == "scope" {
				p.Sizes[i].Size = raster.Size{Width: 4100, Height: 240}
			}
		}
	})
	if out, complaints, err := run(t, "send", "--data", data); err != nil {
		t.Fatal(out, complaints, err)
	}
	s := start(t, data)
	p := page{t, browser(t)}
	p.do("open the room", chromedp.Navigate(s.url+"/p/SALT/screening?sequence=1&frame=1001"))
	const shows = `document.querySelector("#picture").dataset.shows === "1001 beauty"`
	p.arrive("the whole is shown at a half", shows+` && document.querySelector("#picture").width === 2050 &&
		document.querySelectorAll("#tiles img").length === 0`)
	laid := func(by, most string) string {
		return `document.querySelector("#tiles").dataset.by === "` + by + `" && (all => all.length > 0 &&
			all.length <= ` + most + ` && all.every(i => i.complete && i.naturalWidth > 0))(
			[...document.querySelectorAll("#tiles img")])`
	}
	p.do("a pixel for a pixel", chromedp.KeyEvent("x"))
	p.wait("tiles of the file's pixels are laid over it", laid("1", "12"))
	p.wait("each pixel of a tile takes one of the screen", `[...document.querySelectorAll("#tiles img")].every(i =>
		Math.abs(i.getBoundingClientRect().width - i.naturalWidth) < 0.5)`)
	p.wait("they lie where the picture has them", `[...document.querySelectorAll("#tiles img")].every(i => {
		const [whole, tile] = ["#picture", i].map(e => (e.getBoundingClientRect ? e : document.querySelector(e))
			.getBoundingClientRect());
		const x = Number(new URL(i.src).searchParams.get("x"));
		return Math.abs(tile.left - whole.left - 512 * x * whole.width / 4100) < 0.5;
	})`)
	p.do("brighter", chromedp.KeyEvent("+"))
	p.wait("they are as bright as the rest", laid("1", "12")+
		` && [...document.querySelectorAll("#tiles img")].every(i => i.src.includes("stops=0.5"))`)
	p.do("all of it", chromedp.KeyEvent("f"))
	p.wait("the smaller picture is enough", `document.querySelectorAll("#tiles img").length === 0`)
}
