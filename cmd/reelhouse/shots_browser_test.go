package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
)

// A person trims a shot by dragging its end; count, forecast and paths follow.
func TestAShotIsTrimmedByDragging(t *testing.T) {
	s := start(t, seeded(t, func(p *production.Production) { p.Shots = p.Shots[:2]; p.Cut.Tracks = nil }))
	p := page{t, browser(t)}
	p.do("open the shots", chromedp.Navigate(s.url+"/p/SALT/shots"), chromedp.WaitVisible("#ranges"))
	p.wait("the chart is ready", `document.querySelectorAll("#ranges .range").length === 2`)
	before := p.text(`document.querySelector("#ticket").textContent`)
	pixels, err := strconv.ParseFloat(
		p.text(
			`String(document.getElementById("ranges").getScreenCTM().a *
				Number(document.getElementById("ranges").dataset.scale))`,
		),
		64,
	)
	if err != nil {
		t.Fatal(err)
	}
	p.drag("drag the end of shot 010 by twelve frames", `#ranges [data-shot="010"] [data-grip="to"]`, -12*pixels, 0)
	p.wait("the shot is shorter", `document.getElementById("shot-010-frames").value === "1001-1036"`)
	p.wait("the count follows", `document.querySelector("#shot-010 [data-count]").textContent === "36"`)
	if after := p.text(`document.querySelector("#ticket").textContent`); after == before ||
		!strings.Contains(after, "84 frames") {
		t.Errorf("the forecast did not follow: %s", after)
	}
	p.wait("what it changes is said", `document.getElementById("impact").textContent.includes("96 → 84 frames")`)
	p.drag("drag all of shot 020", `#ranges [data-shot="020"] [data-grip="body"]`, 10*pixels, 0)
	p.wait("it has moved", `document.getElementById("shot-020-frames").value.startsWith("1043-")`)
	p.do(
		"two frames on by keys",
		chromedp.Evaluate[chromedp.Void](`document.querySelector('#ranges [data-shot="020"]').focus()`),
		chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight),
	)
	p.wait("it has moved again", `document.getElementById("shot-020-frames").value.startsWith("1045-")`)

	p.do("read the paths", chromedp.Navigate(s.url+"/p/SALT/batch"), chromedp.WaitVisible(`[data-row="010 quay"]`))
	p.press("open them", `[data-row="010 quay"] [hx-get*="/batch/paths"]`)
	p.wait(
		"the last path is the new one",
		`document.querySelector("#side ol")?.lastElementChild?.textContent.endsWith(".1036.exr")`,
	)
}

// A table of shots is refused with every mistake's line and column, and taken in when its columns are matched.
func TestATableOfShotsIsBroughtIn(t *testing.T) {
	s := start(t, seeded(t, nil))
	p := page{t, browser(t)}
	bad := filepath.Join(t.TempDir(), "shots.csv")
	table := "code,what,view,frames\n010,Ferry comes " +
		"in,quay,1001-1012\n070,Gulls,nowhere,1001-1012\n080,Rope,bow,1012-1001\n090,Lamp,night,1084\n"
	if err := os.WriteFile(bad, []byte(table), 0o644); err != nil {
		t.Fatal(err)
	}
	p.do("open the shots", chromedp.Navigate(s.url+"/p/SALT/shots"), chromedp.WaitVisible("#bring-shots"))
	p.press("bring in a table", "#bring-shots")
	p.wait("a file can be chosen", `document.getElementById("table-file") !== null`)
	p.do("choose the file", chromedp.SetUploadFiles("#table-file", []string{bad}))
	p.wait("both bad lines are told", `document.querySelectorAll("#table-mistakes li").length === 2`)
	if said := p.text(`document.getElementById("table-mistakes").textContent`); !strings.Contains(
		said, "line 3, column view",
	) ||
		!strings.Contains(said, "line 4, column frames") {
		t.Errorf("it says %s", said)
	}
	if p.text(`String(document.getElementById("take-table"))`) != "null" {
		t.Error("it could be taken in")
	}
	if err := os.WriteFile(bad, []byte(strings.NewReplacer("nowhere", "bow", "1012-1001", "1001-1012").Replace(table)),
		0o644); err != nil {
		t.Fatal(err)
	}
	p.press("again", "#side [hx-get$='/shots/table']")
	p.wait("another file can be chosen", `document.getElementById("table-file") !== null`)
	p.do("choose the mended file", chromedp.SetUploadFiles("#table-file", []string{bad}))
	p.wait("it can be taken in", `document.getElementById("take-table") !== null`)
	p.do(
		"match a column",
		chromedp.Evaluate[chromedp.Void](
			`(e => { e.value = "name"; e.dispatchEvent(new Event("change", {bubbles: true}));
				})(document.querySelectorAll("#side select")[1])`,
		),
	)
	p.wait(
		"it is matched",
		`document.querySelectorAll("#side select")[1].value === "name" &&
			!document.getElementById("side").textContent.includes("Not read")`,
	)
	p.press("take it in", "#take-table")
	p.wait(
		"the shots are there",
		`document.getElementById("shot-090-name")?.value === "Lamp" &&
			document.getElementById("shot-010-frames").value === "1001-1012" &&
				document.getElementById("side").childElementCount === 0`,
	)
}

// A finding is fixed on the sheet, the batch is sent, and sending it again makes nothing twice.
func TestABatchIsMendedSentAndNotSentTwice(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames = frame.Of(1001, 1003)
		p.Quality, p.Region, p.Cut.Tracks = "final", raster.Part{Left: 25, Top: 25, Right: 75, Bottom: 75}, nil
		p.Qualities[1].Scale, p.Qualities[1].Samples, p.Qualities[1].Effort.Noise = raster.Reduction{Percent: 5}, 1, 0
	})
	s := start(t, data)
	p := page{t, browser(t)}
	sheet := s.url + "/p/SALT/batch"
	p.do("open the sheet", chromedp.Navigate(sheet), chromedp.WaitVisible("#totals"))
	p.wait(
		"a final of a part is refused",
		`document.querySelector(".finding.refuses")?.dataset.rule === "region-left-on" &&
			document.getElementById("verdict").classList.contains("refused")`,
	)
	p.press("fix it there", `#fix-whole-picture`)
	p.wait(
		"it is fixed",
		`!document.querySelector('[data-rule="region-left-on"]') &&
			document.getElementById("verdict").classList.contains("warned")`,
	)
	p.do(
		"say why something is waived",
		chromedp.Evaluate[chromedp.Void](
			`(f => { f.querySelector("input").value = "agreed with the director"; f.requestSubmit();
				})(document.querySelector(".finding:not(.waived) form"))`,
		),
	)
	p.wait(
		"it is waived",
		`document.querySelector(".finding.waived")?.textContent.includes("agreed with the director")`,
	)
	p.do(
		"name it, and order its frames",
		chromedp.Evaluate[chromedp.Void](
			`document.querySelector("[name=name]").value = "Friday night";
				document.querySelector("[name=order]").value = "ends"`,
		),
	)
	p.click("send", "#send")
	p.do("send", chromedp.WaitVisible(`[id="batch-1"]`))
	p.wait("it is in the queue", `document.querySelector("#batch-1 h2")?.textContent === "Friday night"`)
	p.wait("all frames are good", `document.querySelector("[data-good]")?.dataset.good === "3"`)

	p.do("open the sheet again", chromedp.Navigate(sheet), chromedp.WaitVisible("#totals"))
	p.wait(
		"it knows what is there",
		`document.getElementById("totals").textContent.includes("3 done") &&
			document.querySelector('[data-rule="nothing-new"]')`,
	)
	p.press("send all the same", "#send")
	p.wait("it is told why not", `document.querySelector("#send-form .mistake")?.textContent.includes("sent already")`)
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	if b, err := h.Record.Batches("SALT"); err != nil || len(b) != 1 || len(b[0].Plan.Waived) != 1 {
		t.Errorf("%d batches, %v", len(b), err)
	}
	p.click("try the first frames", "#try-first")
	p.do("try the first frames", chromedp.WaitVisible(`[id="batch-2"]`))
	p.wait("the trial is in the queue", `document.querySelector("#batch-2 h2")?.textContent.includes("first frames")`)
	p.wait("its frame is good", `document.querySelector("#batch-2 [data-good]").dataset.good === "1"`)
	if files, _ := filepath.Glob(filepath.Join(data, "output/trials/first_001/SALT/010/*/*/*/*/*")); len(files) != 2 {
		t.Errorf("the trial made %v", files)
	}
}

// The cut is played from shot to shot, and a clip is dragged onto another track.
func TestTheCutIsChangedAndPlayed(t *testing.T) {
	s := start(t, seeded(t, nil))
	p := page{t, browser(t)}
	p.do("open the cut", chromedp.Navigate(s.url+"/p/SALT/cut"), chromedp.WaitVisible("#cut"))
	p.wait(
		"the first picture comes",
		`document.getElementById("player").dataset.shows === "0" &&
			document.querySelector("[data-what]").textContent === "010, source frame 1001"`,
	)
	p.do("a frame on", chromedp.KeyEvent("."))
	p.wait("the next frame is shown", `document.getElementById("player").dataset.shows === "1"`)
	p.press("play", "#play")
	p.wait("it has come to another shot", `document.querySelector("[data-what]").textContent.startsWith("020")`)
	p.press("stop", "#play")
	pixels, err := strconv.ParseFloat(
		p.text(
			`String(document.getElementById("cut").getScreenCTM().a *
				Number(document.getElementById("cut").dataset.scale))`,
		),
		64,
	)
	if err != nil {
		t.Fatal(err)
	}
	from := func(clip string) string {
		return fmt.Sprintf(`document.querySelector('[data-clip="%s"]').dataset`, clip)
	}
	p.drag("trim the first clip", `[data-clip="0 0"] [data-cut="to"]`, -10*pixels, 0)
	p.wait("it is shorter", from("0 0")+`.to === "30"`)
	p.drag("slip it", `[data-clip="0 0"] [data-cut="slip"]`, -5*pixels, 0)
	p.wait(
		"it begins with another frame",
		`document.querySelector('[data-clip="0 0"] title').textContent.includes("source 1006 to 1035")`,
	)
	p.drag("move the last one over the third", `[data-clip="0 3"] [data-cut="move"]`, -9*pixels, 0)
	p.wait(
		"it lies on a track above",
		`document.querySelectorAll('[data-track="1"] .clip').length === 2 && `+from("1 0")+`.from === "86"`,
	)
	p.press("the shot follows", "#follow-010")
	p.wait("it has followed", `!document.getElementById("follow-010")`)
	p.do("see the shot", chromedp.Navigate(s.url+"/p/SALT/shots"), chromedp.WaitVisible("#shot-010"))
	if got := p.text(`document.getElementById("shot-010-frames").value`); got != "1006-1035" {
		t.Errorf("the shot has %s", got)
	}
}

// The sheet of a whole film has 2000 rows in four sizes, of which only those in sight are drawn.
func TestALongSheetStaysLight(t *testing.T) {
	s := start(t, seeded(t, func(p *production.Production) {
		p.ShotDefaults.Sizes, p.Shots = []string{"scope", "hd", "square", "tall"}, nil
		for i := range 2000 {
			p.Shots = append(
				p.Shots,
				production.Shot{
					Code:    fmt.Sprintf("%05d", 10*(i+1)),
					Name:    "Shot",
					View:    "quay",
					Frames:  frame.Of(1001, 1104),
					InBatch: true,
				},
			)
		}
		p.Cut.Tracks = nil
	}))
	p := page{t, browser(t)}
	rows := func() int {
		t.Helper()
		n, err := strconv.Atoi(p.text(`String(document.querySelectorAll("[data-row]").length)`))
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	p.do("open the sheet", chromedp.Navigate(s.url+"/p/SALT/batch"), chromedp.WaitVisible(`[data-row="00010 quay"]`))
	if got := p.text(`document.querySelector("[data-total=frames]").textContent`); got != "832\u2009000" {
		t.Errorf("it has %s frames", got)
	}
	if n := rows(); n > 100 {
		t.Errorf("%d rows are drawn at once", n)
	}
	for _, at := range []string{"00300", "10000", "20000"} {
		n, _ := strconv.Atoi(at)
		p.do(
			"scroll",
			chromedp.Evaluate[chromedp.Void](
				fmt.Sprintf(`document.querySelectorAll(".chunk")[%d].scrollIntoView()`, (n/10-1)/24),
			),
		)
		p.wait("the row of "+at+" is drawn", fmt.Sprintf(`document.querySelector('[data-row="%s quay"]') !== null`, at))
	}
	p.wait("the first rows are gone", `document.querySelector('[data-row="00010 quay"]') === null`)
	if n := rows(); n > 100 {
		t.Errorf("%d rows are drawn at the end", n)
	}
	// What is looked at stays in sight when rows above it come later, and rows that were not to be had come, too.
	p.do("open it again", chromedp.Navigate(s.url+"/p/SALT/batch"), chromedp.WaitVisible(`[data-row="00010 quay"]`),
		chromedp.Evaluate[chromedp.Void](`
			window.last = [...document.querySelectorAll(".chunk")].slice(-2);
			const usual = window.fetch;
			let failed = false;
			window.fetch = async (at, ...how) => {
				if (at === last[0].dataset.rows) {
					while (last[1].dataset.state !== "drawn") await new Promise(requestAnimationFrame);
				} else if (at === last[1].dataset.rows && !failed) {
					failed = true;
					throw new TypeError("the line is dead");
				}
				return usual(at, ...how);
			};
			last[1].scrollIntoView()`))
	p.wait("the rows above are drawn", `last[0].dataset.state === "drawn"`)
	p.wait("the last rows are in sight", `last[1].dataset.state === "drawn" &&
		Math.abs(last[1].getBoundingClientRect().top) < innerHeight / 2`)
	p.do(
		"filter", chromedp.Navigate(s.url+"/p/SALT/batch?filter=0777"), chromedp.WaitVisible(`[data-row="07770 quay"]`),
	)
	if n := rows(); n != 1 {
		t.Errorf("the filter leaves %d rows", n)
	}
}
