package main

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// An axeFault is what axe-core finds: a rule that is broken, and where.
type axeFault struct {
	ID, Impact, Help string
	Nodes            []struct {
		Target         []any
		FailureSummary string
	}
}

// Nothing keeps people out of a page: axe-core (Deque) finds no critical and no serious fault, by its rules for WCAG
// 2.2 at the levels A and AA and its best practices.
func TestAxeFindsNothingSerious(t *testing.T) {
	axe, err := os.ReadFile("../../scripts/axe/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatalf("axe-core is not installed; `make test` installs it: %v", err)
	}
	data := seeded(t, nil)
	s := start(t, data)
	p := page{t, browser(t)}
	if out, complaints, err := run(t, "edit", "shot.set", "shots=010", "note=wait", "--data", data); err != nil {
		t.Fatal(out, complaints)
	}
	for _, path := range []string{
		"/", "/?new=1", "/p/SALT/standards?open=tall", "/p/SALT/scenes", "/p/SALT/views?open=quay&beside1=bow",
		"/p/SALT/views?look=lamplight", "/p/SALT/shots?open=010", "/p/SALT/cut?open=0+1", "/p/SALT/passes?view=bow",
		"/p/SALT/views?open=turn_1",
		"/p/SALT/output?open=review", "/p/SALT/batch", "/p/SALT/queue", "/p/SALT/screening",
		"/p/SALT/history?from=2&to=3", "/p/SALT/delivery", "/p/SALT/delivery?open=comp",
	} {
		p.faultless(path, s.url, string(axe))
	}
	if out, complaints, err := run(t, "send", "--trial", "first", "--data", data); err != nil {
		t.Fatal(out, complaints)
	}
	p.do("to the queue", chromedp.Navigate(s.url+"/p/SALT/queue"))
	p.wait("some are good", `Number(document.querySelector("[data-good]")?.dataset.good) > 2`)
	p.faultless("/p/SALT/queue", s.url, string(axe))
	p.press("open a frame's log", `section g[data-frame][data-state=good]`)
	p.do("open a frame's log", chromedp.WaitVisible("#side pre.log"))
	p.faultless("", s.url, string(axe))
	p.do("to screening", chromedp.Navigate(s.url+"/p/SALT/screening"))
	p.wait("the wall has pictures", `document.querySelector("#wall img")?.naturalWidth > 0`)
	p.faultless("", s.url, string(axe))
	p.do("go into the room", chromedp.Click("#wall .wall-card"))
	p.arrive("a picture is shown", `document.querySelector("#picture")?.dataset.shows`)
	p.do("look closer", chromedp.Click("#closer > summary"), chromedp.WaitVisible("#spread"))
	p.faultless("", s.url, string(axe))
	p.do("decide", chromedp.Click(`[data-take=all]`), chromedp.Click(`#decide [value=retake]`))
	p.wait("it is decided", `document.querySelector("#verdicts [data-jump]")`)
	p.do("compare", chromedp.Click("#compare > summary"), chromedp.WaitVisible("#compare [name=with]"))
	p.faultless("", s.url, string(axe))
	p.do("to the notes", chromedp.Navigate(s.url+"/p/SALT/screening?notes=1"))
	p.arrive("the note has its picture", `document.querySelector(".note img")?.naturalWidth > 0`)
	p.faultless("", s.url, string(axe))
	p.faultless("/p/SALT/screening?retakes=1", s.url, string(axe))
	p.do("keys", chromedp.KeyEvent("?"))
	p.faultless("", s.url, string(axe))
}

// faultless goes to a page, or stays, and fails for what axe-core calls serious there, on either paper.
func (p page) faultless(path, base, axe string) {
	p.t.Helper()
	if path != "" {
		p.do(path, chromedp.Navigate(base+path))
	}
	p.wait(path, `document.fonts.status === "loaded"`)
	p.do(path, chromedp.Evaluate[chromedp.Void](axe))
	for _, paper := range []string{"day", "night"} {
		p.do(paper, chromedp.Evaluate[chromedp.Void](
			fmt.Sprintf(`document.documentElement.dataset.paper = %q`, paper)))
		p.faultlessNow(path, paper)
	}
}

func (p page) faultlessNow(path, paper string) {
	p.t.Helper()
	found, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](
		`axe.run().then(r => JSON.stringify(r.violations))`, chromedp.EvalAwaitPromise,
	))
	if err != nil {
		p.t.Fatalf("%s: %v", path, err)
	}
	var faults []axeFault
	if err := json.Unmarshal([]byte(found), &faults); err != nil {
		p.t.Fatalf("%s: %v: %.200s", path, err, found)
	}
	at := p.text(`location.pathname + location.search`) + " on " + paper
	for _, f := range faults {
		if f.Impact != "serious" && f.Impact != "critical" {
			p.t.Logf("%s: %s (%s), %d times: %v", at, f.Help, f.Impact, len(f.Nodes), f.Nodes[0].Target)
			continue
		}
		for _, n := range f.Nodes[:min(4, len(f.Nodes))] {
			p.t.Errorf("%s: %s at %v: %s", at, f.Help, n.Target, strings.ReplaceAll(n.FailureSummary, "\n", " "))
		}
	}
}
