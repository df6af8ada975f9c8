package main

import (
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
)

// Two sequences are compared: frame 1013 of one is a picture, and that of the other is black. A reference stands beside
// them.
func TestSequencesAreCompared(t *testing.T) {
	s := startAs(t, "demo", t.TempDir())
	p := page{t, browser(t)}
	p.do("open the spoilt sequence", chromedp.Navigate(s.url+"/p/SKETCH/screening?sequence=4&frame=1048"))
	p.wait("its last frame is shown when it is "+
		"good", `document.querySelector("#picture").dataset.shows === "1048 beauty"`)
	p.do("compare", chromedp.Navigate(s.url+"/p/SKETCH/screening?sequence=1&frame=1013&with=s4"))
	shows := `document.querySelector("#picture").dataset.shows === "1013 beauty" &&
		document.querySelector("#picture").dataset.compares === `
	at := func(id, x, y string) string {
		return `(c => [...c.getContext("2d").getImageData(c.width * ` + x + `, c.height * ` + y + `, 1, 1).data]
			.slice(0, 3).join())(document.querySelector("` + id + `"))`
	}
	p.arrive("both are shown", shows+`"side"`)
	p.wait("beside each other", `(() => {
		const [a, b] = ["#picture", "#other"].map(c => document.querySelector(c).getBoundingClientRect());
		return b.left > a.right && Math.abs(a.width - b.width) < 1 && a.top === b.top;
	})() && `+at("#picture", ".5", ".2")+` !== "0,0,0" && `+at("#other", ".5", ".2")+` === "0,0,0"`)
	p.wait("what differs in their set-ups is "+
		"listed", `document.querySelector(".set-up").textContent.includes("blemish")`)
	p.do("enlarge", chromedp.KeyEvent("i"), chromedp.KeyEvent("i"))
	p.wait("both are enlarged alike", `(([a, b]) => a.width > 500 && Math.abs(a.width - b.width) < 1 &&
		Math.abs((b.left - a.left) - (document.querySelector("#second").offsetLeft -
			document.querySelector(".stage").offsetLeft)) < 1)
		(["#picture", "#other"].map(c => document.querySelector(c).getBoundingClientRect()))`)
	p.do("all of it", chromedp.KeyEvent("f"))

	choose := func(mode string) {
		p.do("choose "+mode, chromedp.Evaluate[chromedp.Void](
			`(m => { m.value = "`+mode+`"; m.onchange(); })(document.querySelector("#mode"))`))
		p.wait(mode+" is shown", shows+`"`+mode+`"`)
	}
	choose("wipe")
	p.wait(
		"one on each side",
		at("#picture", ".25", ".2")+` !== "0,0,0" && `+at("#picture", ".75", ".2")+` === "0,0,0"`,
	)
	p.do("turn the line", chromedp.Evaluate[chromedp.Void](
		`(a => { a.value = 90; a.oninput(); })(document.querySelector("#wipe-angle"))`))
	p.wait(
		"one above the other",
		at("#picture", ".75", ".2")+` !== "0,0,0" && `+at("#picture", ".75", ".8")+` === "0,0,0"`,
	)
	p.do("drag the line up", chromedp.Evaluate[chromedp.Void](`(() => {
		const c = document.querySelector("#picture"), b = c.getBoundingClientRect();
		HTMLElement.prototype.setPointerCapture = () => {};
		const ev = (type, y) => c.dispatchEvent(new PointerEvent(type, { bubbles: true, button: 0, pointerId: 1,
			clientX: b.left + b.width / 2, clientY: b.top + y * b.height }));
		ev("pointerdown", 0.5);
		ev("pointermove", 0.1);
		ev("pointerup", 0.1);
	})()`))
	p.wait("it has moved", at("#picture", ".75", ".2")+` === "0,0,0" && `+at("#picture", ".75", ".05")+` !== "0,0,0"`)
	p.do("swap them", chromedp.KeyEvent("t"))
	p.wait(
		"they are swapped",
		at("#picture", ".75", ".2")+` !== "0,0,0" && `+at("#picture", ".75", ".05")+` === "0,0,0"`,
	)
	p.do("swap them back", chromedp.KeyEvent("t"))
	choose("difference")
	p.wait("it is told", `document.querySelector("#other-mapping").textContent.includes("of the pixels differ, most")`)
	choose("anaglyph")
	p.wait("the left picture is red", `(([r, g, b]) => r > 0 && g === "0" && b === "0")(`+
		at("#picture", ".5", ".2")+`.split(","))`)
	choose("flicker")
	p.wait("it alternates", `document.querySelector("#picture").dataset.turn === "1"`)
	p.wait("and again", `document.querySelector("#picture").dataset.turn === "0"`)
	choose("over")
	p.do("go on a frame", chromedp.KeyEvent("."))
	p.wait("both have gone on", `document.querySelector("#picture").dataset.shows === "1014 beauty" && `+
		at("#other", ".5", ".2")+` !== "0,0,0"`)

	reference := filepath.Join(t.TempDir(), "plate.png")
	green := image.NewRGBA(image.Rect(0, 0, 64, 36))
	draw.Draw(green, green.Bounds(), image.NewUniform(color.RGBA{0, 255, 0, 255}), image.Point{}, draw.Src)
	f, err := os.Create(reference)
	if err == nil {
		err = png.Encode(f, green)
	}
	if err != nil {
		t.Fatal(err)
	}
	f.Close()
	p.do("add a reference", chromedp.SetUploadFiles(`#compare input[type=file]`, []string{reference}),
		chromedp.Click(`#compare form[enctype] button`))
	p.arrive("it stands beside the frame", `location.search.includes("with=r1") &&
		document.querySelector("#picture").dataset.shows === "1014 beauty" &&
		document.querySelector("#picture").dataset.compares === "side" && `+at("#other", ".5", ".5")+` === "0,255,0"`)
	p.do("remove it", chromedp.Click(`#compare form[action$=remove] button`))
	p.arrive("it is gone", `!location.search.includes("with") && !document.querySelector("#compare [value=r1]")`)

	// A movie of another rate: its frame n has 20 n of red.
	film := filepath.Join(t.TempDir(), "animatic.mkv")
	write := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"color=s=64x36:r=12:d=1,format=gbrp,geq=r='20*N':g=0:b='255-20*N'", "-c:v", "ffv1", film)
	if out, err := write.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	p.do("open the group", chromedp.Click(`#compare summary`))
	p.do("add a movie", chromedp.SetUploadFiles(`#compare input[type=file]`, []string{film}),
		chromedp.Click(`#compare form[enctype] button`))
	p.arrive("the frame of its time stands beside the frame", `location.search.includes("with=r") &&
		document.querySelector("#picture").dataset.shows === "1014 beauty" && `+
		at("#other", ".5", ".5")+` === "120,0,135"`)
	p.wait("it is said which one it is",
		`document.querySelector("#other-mapping").textContent.includes("frame 7 of the movie's 12")`)
	further := func(frames string) {
		p.do("go "+frames+" further", chromedp.Evaluate[chromedp.Void](
			`(f => { f.value = `+frames+`; f.onchange(); })(document.querySelector("#offset"))`))
	}
	further("3")
	p.wait("a later frame of it", at("#other", ".5", ".5")+` === "180,0,75"`)
	further("50")
	p.wait("it has no such frame",
		`document.querySelector("#other-mapping").textContent.includes("none after its last")`)
	further("-2")
	p.do("a frame back", chromedp.KeyEvent(","))
	choose("second")
	p.do("play both", chromedp.KeyEvent(" "))
	p.wait("the movie plays along, from viewing files",
		`document.querySelector("#other-mapping").textContent.includes("viewing file")`)
	p.do("stop", chromedp.KeyEvent(" "))
}
