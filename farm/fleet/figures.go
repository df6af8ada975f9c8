package fleet

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"sync"
	"text/tabwriter"
	"time"
)

// Figures are what a fleet has counted.
type Figures struct {
	mutex                          sync.Mutex
	files, failed, wrong, vanished int
	asks                           map[string]*waiting // by what was asked
	seconds                        float64
}

// waiting is how long answers have taken.
type waiting struct {
	times  []time.Duration
	failed int
}

// Asked is how long answers of one kind have taken, in milliseconds.
type Asked struct {
	What    string  `json:"what"`
	Times   int     `json:"times"`
	Failed  int     `json:"failed"`
	Median  float64 `json:"median"`
	Most99  float64 `json:"most99"` // of 99 %
	Longest float64 `json:"longest"`
}

// Report is what has come of a fleet.
type Report struct {
	Nodes    int     `json:"nodes"`
	Seconds  float64 `json:"seconds"`
	Files    int     `json:"files"`
	Failed   int     `json:"failed"`
	Wrong    int     `json:"wrong"`
	Vanished int     `json:"vanished"`
	Asked    []Asked `json:"asked"`
}

// slowLines is under which all is counted that was asked over slow lines.
const slowLines = "over slow lines"

func (f *Figures) count(what *int) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	*what++
}

func (f *Figures) took(d time.Duration) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	f.seconds = d.Seconds()
}

// asked notes that something was asked of the house.
func (f *Figures) asked(what string, took time.Duration, err error) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.asks == nil {
		f.asks = map[string]*waiting{}
	}
	w := f.asks[what]
	if w == nil {
		w = &waiting{}
		f.asks[what] = w
	}
	if err != nil {
		w.failed++
		return
	}
	w.times = append(w.times, took)
}

// Report returns what was counted so far.
func (f *Fleet) Report() Report {
	c := &f.Figures
	c.mutex.Lock()
	defer c.mutex.Unlock()
	r := Report{
		Nodes: len(f.Tokens), Seconds: c.seconds, Files: c.files, Failed: c.failed, Wrong: c.wrong,
		Vanished: c.vanished,
	}
	var all []time.Duration
	failed := 0
	for _, what := range slices.Sorted(maps.Keys(c.asks)) {
		if w := c.asks[what]; what != slowLines {
			all, failed = append(all, w.times...), failed+w.failed
			r.Asked = append(r.Asked, w.asked(what))
		}
	}
	r.Asked = append(r.Asked, (&waiting{all, failed}).asked("all of these"))
	if w := c.asks[slowLines]; w != nil {
		r.Asked = append(r.Asked, w.asked(slowLines))
	}
	return r
}

func (w *waiting) asked(what string) Asked {
	a := Asked{What: what, Times: len(w.times), Failed: w.failed}
	if len(w.times) == 0 {
		return a
	}
	sorted := slices.Sorted(slices.Values(w.times))
	at := func(share float64) float64 {
		return float64(sorted[min(len(sorted)-1, int(share*float64(len(sorted))))].Microseconds()) / 1000
	}
	a.Median, a.Most99, a.Longest = at(0.5), at(0.99), at(1)
	return a
}

// Print writes the report as a table.
func (r Report) Print(out io.Writer) error {
	fmt.Fprintf(out, "%d simulated nodes, %.0f s: %d files, %.1f a second; %d tasks failed, %d nodes vanished, "+
		"%d pictures were wrong\n", r.Nodes, r.Seconds, r.Files, float64(r.Files)/max(1, r.Seconds), r.Failed,
		r.Vanished, r.Wrong)
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', tabwriter.AlignRight)
	fmt.Fprintln(w, "asked\ttimes\tfailed\tmedian ms\t99 % ms\tlongest ms\t")
	for _, a := range r.Asked {
		fmt.Fprintf(w, "%s\t%d\t%d\t%.1f\t%.1f\t%.1f\t\n", a.What, a.Times, a.Failed, a.Median, a.Most99, a.Longest)
	}
	return w.Flush()
}
