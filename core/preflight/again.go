package preflight

import (
	"fmt"
	"reflect"
	"slices"
	"sync"

	"reelhouse/core/plan"
)

// Checked is what was found of a batch, and what of it is still so when the next batch of the production is checked.
type Checked struct {
	Findings []Finding
	ground   plan.Batch  // without its sequences
	facts    Facts       // that rules of single sequences rest on
	firsts   []bool      // by sequences: whether it is the first one of its shot
	single   [][]single  // by sequences
	paths    [][]Finding // by rules that rest on paths and frames alone

	sequences []plan.Sequence
}

// A single is what a rule has found of one sequence.
type single struct {
	rule    int
	finding Finding
}

// sequencesAtOnce is how many sequences are looked at together.
const sequencesAtOnce = 500

// Again applies every rule to a batch, and takes over from what was found of an earlier one, which may be nil, what is
// still so: kept tells for each sequence of b its place in the earlier batch if it is the same, -1 otherwise.
func (e *Checked) Again(b plan.Batch, f Facts, kept []int) *Checked {
	c := &Checked{ground: b, facts: Facts{Cameras: f.Cameras, LastFrame: f.LastFrame}}
	c.ground.Sequences, c.ground.Waived, c.ground.Title = nil, nil, ""
	c.firsts, c.single = make([]bool, len(b.Sequences)), make([][]single, len(b.Sequences))
	takes := e != nil && len(kept) == len(b.Sequences) && reflect.DeepEqual(e.ground, c.ground) &&
		reflect.DeepEqual(e.facts, c.facts)
	c.sequences, c.paths = b.Sequences, make([][]Finding, len(rules))
	samePaths := takes && e.samePaths(b.Sequences, kept)
	found := make([][]Finding, len(rules))
	// Rules look at the same batch side by side, and report in their order.
	var group sync.WaitGroup
	for i, r := range rules {
		if r.check == nil {
			continue
		}
		if r.paths && samePaths {
			found[i] = slices.Clone(e.paths[i])
			continue
		}
		group.Go(func() {
			r.check(b, f, func(where string, fix Fix, format string, args ...any) {
				found[i] = append(found[i], r.finds(where, fix, format, args...))
			})
		})
	}
	for from := 0; from < len(b.Sequences); from += sequencesAtOnce {
		group.Go(func() {
			for i := from; i < min(from+sequencesAtOnce, len(b.Sequences)); i++ {
				c.firsts[i] = i == 0 || b.Sequences[i-1].Shot != b.Sequences[i].Shot
				if takes && kept[i] >= 0 && e.firsts[kept[i]] == c.firsts[i] {
					c.single[i] = e.single[kept[i]]
					continue
				}
				c.look(b, f, i)
			}
		})
	}
	group.Wait()
	for _, all := range c.single {
		for _, s := range all {
			found[s.rule] = append(found[s.rule], s.finding)
		}
	}
	for i, r := range rules {
		if r.paths {
			c.paths[i] = found[i]
		}
	}
	c.Findings = slices.Concat(found...)
	waive(b, c.Findings)
	slices.SortStableFunc(c.Findings, func(a, b Finding) int {
		return slices.Index([]Severity{Refuses, Warns}, a.Severity) - slices.Index(
			[]Severity{Refuses, Warns}, b.Severity,
		)
	})
	return c
}

// look applies the rules of single sequences to one of them.
func (c *Checked) look(b plan.Batch, f Facts, i int) {
	for n, r := range rules {
		if r.each == nil {
			continue
		}
		r.each(b, f, &b.Sequences[i], c.firsts[i], func(where string, fix Fix, format string, args ...any) {
			c.single[i] = append(c.single[i], single{n, r.finds(where, fix, format, args...)})
		})
	}
}

// finds returns a finding of the rule.
func (r rule) finds(where string, fix Fix, format string, args ...any) Finding {
	return Finding{
		Rule: r.name, Severity: r.severity, Where: where, Message: fmt.Sprintf(format, args...), Why: r.why, Fix: fix,
		Mandatory: r.mandatory, NeedsConfirmation: r.needsConfirmation,
	}
}

// waive gives findings the reasons for which they are waived. What is mandatory is not.
func waive(b plan.Batch, findings []Finding) {
	reasons := map[string]string{}
	for _, w := range b.Waived {
		reasons[w.Rule] = w.Reason
	}
	for i := range findings {
		if !findings[i].Mandatory {
			findings[i].Waived = reasons[findings[i].Rule]
		}
	}
}

// samePaths reports whether sequences of the same names are written to the paths of the earlier ones, for the same
// frames.
func (c *Checked) samePaths(sequences []plan.Sequence, kept []int) bool {
	if len(sequences) != len(c.sequences) {
		return false
	}
	for i, place := range kept {
		if place == i {
			continue
		}
		now, was := &sequences[i], &c.sequences[i]
		if now.Title() != was.Title() || !now.Frames.Equal(was.Frames) ||
			len(now.Files) != len(was.Files) || !slices.Equal(now.Labels, was.Labels) {
			return false
		}
		for k := range now.Files {
			f, g := &now.Files[k], &was.Files[k]
			if f.Path.String() != g.Path.String() || f.Pattern != g.Pattern ||
				f.Output != g.Output || f.Label != g.Label {
				return false
			}
		}
	}
	return true
}
