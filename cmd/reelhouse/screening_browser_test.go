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

// A frame that becomes good while the room reads which are is among the good ones, too: nothing else may come to tell.
func TestTheLastFrameIsAmongTheGoodOnes(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames = frame.MustParse("1001-1003")
	})
	s := start(t, data)
	for _, args := range [][]string{{"pause"}, {"send", "--production", "SALT"}} {
		if out, complaints, err := run(t, append(args, "--data", data)...); err != nil {
			t.Fatal(out, complaints, err)
		}
	}
	p := page{t, browser(t)}
	p.do("look at the shot", chromedp.Navigate(s.url+"/p/SALT/screening?sequence=1"))
	p.wait("the room is there", `document.querySelector("#decide-frames")?.value === "1001"`)
	// The house says that so many frames are good; how the page looks with them comes later.
	p.do("stand in for the house", chromedp.Evaluate[chromedp.Void](`(() => {
		const ask = window.fetch;
		window.good = 0;
		window.waits = [];
		window.fetch = async (address, ...more) => {
			const of = new URL(address, location);
			if (of.pathname === location.pathname) await new Promise((go) => window.waits.push(go));
			const answer = await ask(address, ...more);
			if (of.pathname !== document.querySelector("#room").dataset.base) return answer;
			const frames = await answer.json();
			for (const f of frames.slice(0, window.good)) f.state = "good";
			return new Response(JSON.stringify(frames));
		};
		window.tell = (good) => {
			window.good = good;
			document.body.dispatchEvent(new Event("htmx:sseMessage"));
		};
	})()`))
	p.press("decide on all of it", "[data-take=all]")
	p.do("two are good", chromedp.Evaluate[chromedp.Void](`window.tell(2)`))
	p.wait("it looks at the page", `window.waits.length === 1`)
	p.do("the last one is", chromedp.Evaluate[chromedp.Void](`window.tell(3)`))
	p.do("the page comes", chromedp.Evaluate[chromedp.Void](`window.waits.shift()()`))
	p.wait("it looks again", `window.waits.length === 1`)
	p.do("the page comes", chromedp.Evaluate[chromedp.Void](`window.waits.shift()()`))
	p.wait("all are named", `document.querySelector("#decide-frames").value === "1001-1003"`)
}
