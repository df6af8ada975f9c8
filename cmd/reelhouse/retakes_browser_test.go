package main

import (
	"testing"

	"github.com/chromedp/chromedp"
)

// Somebody looks at a spoilt sequence, marks what is wrong, asks for a few frames again, and gets a batch of just these
// and a whole new version.
func TestARetakeOfARangeMakesAWholeVersion(t *testing.T) {
	data := t.TempDir()
	s, call := startAs(t, "demo", data), caller(t, data)
	p := page{t, browser(t)}
	p.do("open the spoilt sequence", chromedp.Navigate(s.url+"/p/SKETCH/screening?sequence=4&frame=1048"))
	p.wait("its last frame is shown when it is "+
		"good", `document.querySelector("#picture").dataset.shows === "1048 beauty"`)
	p.wait("all of its frames are", `document.querySelectorAll(".room .strip .s-good").length === 48`)
	p.do("go to the strip", chromedp.Navigate(s.url+"/p/SKETCH/screening?sequence=4&frame=1019"))
	p.wait("it is shown", `document.querySelector("#picture").dataset.shows === "1019 beauty" &&
		document.querySelector("#decide-frames").value === "1019"`)
	p.do("draw round it", chromedp.KeyEvent("d"), chromedp.Evaluate[chromedp.Void](`(() => {
		const c = document.querySelector("#picture"), b = c.getBoundingClientRect();
		HTMLElement.prototype.setPointerCapture = () => {};
		const ev = (type, x, y) => c.dispatchEvent(new PointerEvent(type, { bubbles: true, button: 0, pointerId: 1,
			clientX: b.left + x * b.width, clientY: b.top + y * b.height }));
		ev("pointerdown", 0.25, 0.5);
		ev("pointermove", 0.5, 0.75);
		ev("pointermove", 0.75, 0.5);
		ev("pointerup", 0.75, 0.5);
	})()`))
	p.wait("it is seen", `document.querySelector("#marks polyline").points.numberOfItems === 3`)
	p.do("play from here", chromedp.KeyEvent("<"))
	p.do("as far as two frames on", chromedp.KeyEvent("."), chromedp.KeyEvent("."), chromedp.KeyEvent(">"))
	p.do("decide on the range", chromedp.Click(`[data-take=range]`))
	p.wait("it is named", `document.querySelector("#decide-frames").value === "1019-1021"`)
	p.do("say why", chromedp.SendKeys("#note", "a strip of black"))
	p.do("ask for it again", chromedp.Click(`#decide [value=retake]`))
	p.wait("it is kept, with its mark", `document.querySelector("#verdicts").textContent.includes("a strip of black") &&
		document.querySelector("#verdicts [data-marks]").dataset.marked === "1019" &&
		document.querySelector("#note").value === ""`)
	p.do("approve another frame", chromedp.Focus("#scrub"), chromedp.KeyEvent("A"))
	p.wait("it is refused or kept by what is "+
		"named", `document.querySelector("#verdicts [role=status]").textContent.includes("Kept: approved, 1021")`)
	p.do("take it back", chromedp.Click(`#verdicts .decided li:first-child [hx-post]`))
	p.wait("the retake stands for all three", `document.querySelector("#verdicts").textContent.includes("retake 3")`)

	p.do("see what comes of it", chromedp.Navigate(s.url+"/p/SKETCH/screening?retakes=1"))
	p.wait("the same picture is refused", `document.querySelector("[data-shot='020'] [role=alert]").textContent
		.includes("would come out as it is") && !document.querySelector("#send")`)
	call(0, "edit", "--production", "SKETCH", "shot.set", "shots=020", "values=")
	p.do("look again", chromedp.Reload())
	p.wait("just these are rendered", `document.querySelector("#send-retakes").textContent.replace(/\s+/g, " ")
		.includes("3 rendered, 45 reused")`)
	p.do("send it", chromedp.Click("#send"))
	p.wait("it is sent", `document.querySelector("#retakes [role=status]")?.textContent.includes("batch 2")`)
	call(0, "wait", "2")
	p.do("look at the new version", chromedp.Navigate(s.url+"/p/SKETCH/screening?find=v002"))
	p.arrive("it is whole", `document.querySelector(".wall-card")?.textContent.includes("48 of 48 good") &&
		document.querySelector(".wall-card").textContent.includes("45 reused")`)
}
