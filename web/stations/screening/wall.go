package screening

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/review"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// Bounds of a wall.
const (
	mostCards    = 200
	framesOfCard = 8 // that a card shows one after the other
)

// A wall is every sequence of a production that can be looked at, the latest batch first.
type wall struct {
	Filter wallFilter
	Cards  []wallCard
	More   int    // that are not shown
	All    int    // sequences, whatever is filtered
	Code   string // of the production
	Lost   lostCount
	// Given is how many verdicts there are, and Retakes how many frames are to be made again.
	Given, Retakes int
}

// A wallFilter is which sequences are shown. Its parameters are the page's.
type wallFilter struct {
	Find  string // words that are all of its title, its batch or its version
	State string // "", "findings", "unfinished", "good", "lost", "undecided" or a verdict
	Empty bool   // those of which nothing is good yet, too
}

// On reports whether anything is filtered.
func (f wallFilter) On() bool { return f != wallFilter{} }

// A wallCard is one sequence on the wall.
type wallCard struct {
	store.Sequence
	Batch    store.Batch
	Version  int
	Good     int
	Total    int
	Address  string // of it in the room
	Pictures string // of its frames, one after the other, by spaces
	First    string // of these
	Findings findings
	Others   []stateCount // of what is not good
	Verdicts []verdictCount
	Reused   int // frames that were taken over from earlier versions
}

// A stateCount is how many frames are in a state.
type stateCount struct {
	State  queue.State
	Frames int
}

// wallOf returns the wall of a production.
func (a *page) wallOf(v *kit.View, batches []store.Batch) (w wall, err error) {
	decided, err := a.House.Record.VerdictsOf(v.Production.Code, false)
	if err != nil {
		return w, err
	}
	w.count(decided)
	w.Code, w.Lost = v.Production.Code, lostOf(batches)
	w.Filter = wallFilter{Find: strings.TrimSpace(v.Query("find")), State: v.Query("state"),
		Empty: v.Query("empty") != ""}
	for _, b := range slices.Backward(batches) {
		for _, s := range b.Sequences {
			w.All++
			c := wallCard{
				Sequence: s, Batch: b, Version: b.Plan.VersionOf(s.Spec), Good: s.Counts[queue.Good],
				Total: s.Counts.Total(), Verdicts: countVerdicts(decided[s.ID]),
				Reused: s.Spec.Frames.Count() - s.Spec.Rendered().Count(),
			}
			if !w.Filter.takes(c) {
				continue
			}
			if len(w.Cards) == mostCards {
				w.More++
				continue
			}
			if err := a.fillCard(v.Production.Code, &c); err != nil {
				return w, err
			}
			if w.Filter.State == "findings" && len(c.Findings.Kinds) == 0 {
				continue
			}
			w.Cards = append(w.Cards, c)
		}
	}
	return w, nil
}

// takes reports whether a sequence is shown, as far as its counts and its names tell.
func (f wallFilter) takes(c wallCard) bool {
	if c.Good == 0 && !f.Empty && f.State != "lost" {
		return false
	}
	switch f.State {
	case "unfinished":
		if c.Good == c.Total {
			return false
		}
	case "good":
		if c.Good < c.Total {
			return false
		}
	case "lost":
		if c.Counts[queue.Lost] == 0 {
			return false
		}
	case "undecided":
		if c.decided() >= c.Good {
			return false
		}
	case string(review.Approved), string(review.Retake), string(review.Question):
		if !slices.ContainsFunc(c.Verdicts, func(n verdictCount) bool { return string(n.Kind) == f.State }) {
			return false
		}
	}
	text := strings.ToLower(fmt.Sprintf("%s %s %s v%03d batch %d", c.Spec.Title(), c.Spec.ShotName, c.Batch.Name,
		c.Version, c.Batch.ID))
	for word := range strings.FieldsSeq(strings.ToLower(f.Find)) {
		if !strings.Contains(text, word) {
			return false
		}
	}
	return true
}

// decided returns of how many frames a verdict stands.
func (c wallCard) decided() (n int) {
	for _, v := range c.Verdicts {
		n += v.Frames
	}
	return n
}

// count counts what is to be done about verdicts.
func (w *wall) count(decided map[int64][]review.Verdict) {
	for _, all := range decided {
		w.Given += len(all)
		for _, v := range review.Standing(all) {
			if v.Open() && v.Kind == review.Retake {
				w.Retakes += v.Frames.Count()
			}
		}
	}
}

// fillCard adds what is seen of a sequence.
func (a *page) fillCard(code string, c *wallCard) error {
	c.Address = fmt.Sprintf("screening?sequence=%d", c.ID)
	for _, s := range []queue.State{
		queue.Rendering, queue.Checking, queue.Ready, queue.Blocked, queue.Held, queue.Failed, queue.Lost,
	} {
		if n := c.Counts[s]; n > 0 {
			c.Others = append(c.Others, stateCount{s, n})
		}
	}
	var err error
	if c.Findings, err = a.foundIn(code, c.Sequence, ""); err != nil {
		return err
	}
	picture := "around"
	if f := c.Spec.FollowUp; f != nil && f.Matte != nil {
		picture = "play/" + string(pass.MattePass(f.Matte.Code))
	} else if !lit(filesOf(c.Spec, "")) {
		return nil
	}
	good, err := a.House.Record.SomeGood(c.ID, c.Good, framesOfCard)
	if err != nil {
		return err
	}
	var pictures []string
	for _, number := range good {
		pictures = append(pictures, fmt.Sprintf("/p/%s/screen/%d/%d/%s", code, c.ID, number, picture))
	}
	if c.Pictures = strings.Join(pictures, " "); len(pictures) > 0 {
		c.First = pictures[len(pictures)/2]
	}
	return nil
}

// lit reports whether any of some file sequences has light.
func lit(files []plan.FileSequence) bool {
	return slices.ContainsFunc(files, func(f plan.FileSequence) bool {
		return slices.ContainsFunc(f.Passes, func(code pass.Code) bool {
			p, err := pass.Find(code)
			return err == nil && !p.Data
		})
	})
}
