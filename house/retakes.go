package house

import (
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"

	"reelhouse/core/edit"
	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/review"
	"reelhouse/store"
)

// Retakes are the frames of a production that are wanted again, and what the next versions of their shots would be.
type Retakes struct {
	Shots []RetakenShot
	Draft Draft // of the next versions; it has no batch where nothing can be sent
	Set   Sending
	// Answers are the verdicts that the batch answers.
	Answers []int64
}

// A RetakenShot is a shot of which frames are wanted again.
type RetakenShot struct {
	Shot      string
	Version   int // the next one, 0 if there is none
	Sequences []RetakenSequence
	Refusal   string // why it cannot be made again as it is, "" if it can
}

// A RetakenSequence is a sequence of which frames are wanted again, or that goes along to keep the version whole.
type RetakenSequence struct {
	Source   store.Sequence // that was looked at, or the newest one of those that go along
	Version  int            // that it is of
	Verdicts []review.Verdict
	Plan     plan.Retake // the zero value where it cannot be planned
}

// Again returns the frames of a sequence that are wanted again.
func (r RetakenSequence) Again() frame.Set { return review.On(r.Verdicts, review.Retake) }

// Sendable reports whether any shot can be made again.
func (r Retakes) Sendable() bool { return len(r.Draft.Batch.Sequences) > 0 }

// RetakesOf returns what is wanted again of a production, and plans it: just those frames are rendered, as the next
// version of each shot, and the others are taken over. With anew, frames whose set-up has changed since they were
// rendered are rendered, too. Shots are named to have only these; none for all.
func (h *House) RetakesOf(p production.Production, anew bool, shots ...string) (r Retakes, err error) {
	open, err := h.Record.VerdictsOf(p.Code, true)
	if err != nil {
		return r, err
	}
	places := map[string]int{}
	var ids []int64
	for id := range open {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for _, id := range ids {
		q, err := h.Record.Sequence(id)
		if err != nil {
			return r, err
		}
		b, err := h.Record.BatchAlone(q.BatchID)
		if err != nil {
			return r, err
		}
		all := pending(open[id])
		s := RetakenSequence{Source: q, Version: b.Plan.VersionOf(q.Spec), Verdicts: all}
		if s.Again().Empty() || len(shots) > 0 && !slices.Contains(shots, q.Spec.Shot) {
			continue
		}
		place, known := places[q.Spec.Shot]
		if !known {
			place = len(r.Shots)
			places[q.Spec.Shot] = place
			r.Shots = append(r.Shots, RetakenShot{Shot: q.Spec.Shot})
		}
		r.Shots[place].Sequences = append(r.Shots[place].Sequences, s)
	}
	slices.SortFunc(r.Shots, func(a, b RetakenShot) int { return strings.Compare(a.Shot, b.Shot) })
	return r, h.planRetakes(p, anew, &r)
}

// pending returns verdicts without retakes that were answered.
func pending(all []review.Verdict) []review.Verdict {
	return slices.DeleteFunc(
		slices.Clone(all),
		func(v review.Verdict) bool { return v.Kind == review.Retake && v.Answered != 0 },
	)
}

// planRetakes plans the next versions of shots, and says of which why that cannot be.
func (h *House) planRetakes(p production.Production, anew bool, r *Retakes) error {
	next := p.Copy()
	wanted := map[string]bool{}
	for i := range r.Shots {
		shot := &r.Shots[i]
		at := slices.IndexFunc(next.Shots, func(s production.Shot) bool { return s.Code == shot.Shot })
		if at < 0 {
			shot.Refusal = "the production has no such shot any more"
			continue
		}
		version, err := h.nextVersionOf(p, shot.Shot)
		var mistake *edit.Mistake
		switch {
		case errors.As(err, &mistake):
			shot.Refusal = mistake.Message
			continue
		case err != nil:
			return err
		}
		shot.Version = version
		next.Shots[at].Version, wanted[shot.Shot] = version, true
	}
	for i := range next.Shots {
		next.Shots[i].InBatch = wanted[next.Shots[i].Code]
	}
	if len(wanted) == 0 {
		return nil
	}
	d, err := h.draft(next, plan.Whole, true)
	if err != nil {
		return err
	}
	r.Draft = d
	if len(d.Problems) > 0 {
		return nil
	}
	by, err := h.renderersOf(d.Batch)
	if err != nil {
		return err
	}
	b := d.Batch
	b.Sequences = nil
	r.Set.Others = map[int]fingerprint.Renderer{}
	for i := range r.Shots {
		shot := &r.Shots[i]
		if shot.Refusal != "" {
			continue
		}
		var planned []plan.Sequence
		var renderers []fingerprint.Renderer
		for place, s := range d.Batch.Sequences {
			if s.Shot != shot.Shot {
				continue
			}
			retake, err := h.retake(d.Batch, s, by.of(place), shot, anew)
			if err != nil {
				shot.Refusal = err.Error()
				break
			}
			planned, renderers = append(planned, retake.Sequence), append(renderers, by.of(place))
		}
		if shot.Refusal == "" {
			shot.Refusal = shot.why()
		}
		if shot.Refusal != "" {
			continue
		}
		for k, s := range planned {
			if renderers[k] != by.usual {
				r.Set.Others[len(b.Sequences)] = renderers[k]
			}
			b.Sequences = append(b.Sequences, s)
		}
		for _, s := range shot.Sequences {
			for _, v := range review.Standing(s.Verdicts) {
				if v.Kind == review.Retake {
					r.Answers = append(r.Answers, v.ID)
				}
			}
		}
	}
	r.Set.Renderer = by.usual
	r.Draft.Batch = b
	return nil
}

// why says why a shot cannot be made again as it is planned, "" if it can.
func (s RetakenShot) why() string {
	for _, q := range s.Sequences {
		switch same := q.Plan.Same; {
		case q.Plan.Shot == "":
			return q.Source.Spec.Title() + " is not rendered any more: the shot has another view or size now"
		case !same.Empty():
			return fmt.Sprintf(
				"%s: the set-up is what it was, so that %s would come out as it is; change what is wrong "+
					"with it first",
				q.Source.Spec.Title(),
				oneOrMore(same),
			)
		}
	}
	return ""
}

func oneOrMore(s frame.Set) string {
	if s.Count() == 1 {
		return "frame " + s.String()
	}
	return "each of the frames " + s.String()
}

// retake plans the next version of a sequence of a shot, and notes it there.
func (h *House) retake(
	b plan.Batch, s plan.Sequence, by fingerprint.Renderer, shot *RetakenShot, anew bool,
) (plan.Retake, error) {
	formers, newest, err := h.formers(b, s)
	if err != nil {
		return plan.Retake{}, err
	}
	i := slices.IndexFunc(shot.Sequences, func(q RetakenSequence) bool {
		return q.Source.Spec.View == s.View && q.Source.Spec.SizeCode == s.SizeCode
	})
	var again frame.Set
	for _, q := range shot.Sequences {
		if q.Source.Spec.View != s.View || q.Source.Spec.SizeCode != s.SizeCode {
			continue
		}
		if !slices.ContainsFunc(formers, func(f plan.Former) bool { return f.ID == q.Source.ID }) {
			return plan.Retake{}, fmt.Errorf(
				"%s, version %d, has a newer version, or is a trial; look at that one, and "+
					"take this retake back",
				q.Source.Spec.Title(),
				q.Version,
			)
		}
		if again, err = frame.Union(again, q.Again()); err != nil {
			return plan.Retake{}, err
		}
	}
	then := func(version int) fingerprint.Print {
		as := s
		as.Version = version
		return b.Fingerprint(as, by)
	}
	planned, err := s.Retake(formers, again, anew, then)
	if err != nil {
		return planned, err
	}
	if b.Varies(s, by) != "" {
		planned.Same = frame.Set{} // another try may come out otherwise
	}
	if i < 0 {
		if newest.ID == 0 {
			return planned, nil
		}
		shot.Sequences = append(shot.Sequences, RetakenSequence{Source: newest, Plan: planned})
		return planned, nil
	}
	for k := range shot.Sequences {
		if q := &shot.Sequences[k]; q.Source.Spec.View == s.View && q.Source.Spec.SizeCode == s.SizeCode {
			q.Plan = planned
		}
	}
	return planned, nil
}

// formers returns what was sent of the newest version of a sequence, the oldest first. Trials, and pictures of which
// another part was rendered, are none.
func (h *House) formers(b plan.Batch, s plan.Sequence) (all []plan.Former, newest store.Sequence, err error) {
	sent, err := h.Record.Renderings(b.Production, s.Shot, s.View, s.SizeCode)
	if err != nil {
		return nil, newest, err
	}
	version := 0
	versions := make([]int, len(sent)) // 0 for what does not count
	for i, q := range sent {
		batch, err := h.Record.BatchAlone(q.BatchID)
		if err != nil {
			return nil, newest, err
		}
		if batch.Plan.Trial == plan.Whole && batch.Plan.Region == b.Region {
			versions[i] = batch.Plan.VersionOf(q.Spec)
			version = max(version, versions[i])
		}
	}
	for i, q := range sent {
		of := versions[i]
		if of != version || of == 0 {
			continue
		}
		if newest.ID == 0 {
			newest = q
		}
		good, err := h.Record.GoodIn(q.ID)
		if err != nil {
			return nil, newest, err
		}
		all = append(all, plan.Former{ID: q.ID, Version: of, Spec: q.Spec, Print: q.Fingerprint, Good: good})
	}
	slices.Reverse(all)
	return all, newest, nil
}

// nextVersionOf returns the lowest version of a shot under which none of its files was ever sent.
func (h *House) nextVersionOf(p production.Production, shot string) (int, error) {
	p = p.Copy()
	at := slices.IndexFunc(p.Shots, func(s production.Shot) bool { return s.Code == shot })
	p.Shots = p.Shots[at : at+1]
	p.Version = max(p.Version, p.Shots[0].Version)
	p.Shots[0].Version, p.Shots[0].InBatch = 0, true
	return h.NextVersion(p)
}

// SendRetakes sends what is wanted again, of shots that are named or of all, and returns the batch's number. The shots
// have those versions from then on.
func (h *House) SendRetakes(p production.Production, anew bool, how Sending, shots ...string) (int64, error) {
	r, err := h.RetakesOf(p, anew, shots...)
	if err != nil {
		return 0, err
	}
	if len(r.Shots) == 0 {
		return 0, fmt.Errorf("%w: no frames are wanted again", store.ErrNothing)
	}
	for _, s := range r.Shots {
		if s.Refusal != "" && (len(r.Shots) == 1 || len(shots) > 0) {
			return 0, fmt.Errorf("shot %s: %s", s.Shot, s.Refusal)
		}
	}
	if len(r.Draft.Problems) > 0 {
		return 0, r.Draft.Problems[0]
	}
	if !r.Sendable() {
		return 0, fmt.Errorf("shot %s: %s; nor can any other shot be made again", r.Shots[0].Shot, r.Shots[0].Refusal)
	}
	if err := r.Draft.Refusal(how.Confirmed); err != nil {
		return 0, err
	}
	if how.Name = strings.TrimSpace(how.Name); how.Name == "" {
		how.Name = r.name(p.Code)
	}
	if len(how.Name) > 200 || len(how.Note) > MostNote {
		return 0, fmt.Errorf("the name or the note of the batch is too long; 200 and %d letters are possible", MostNote)
	}
	how.Seen, how.Answers = &r.Draft.Seen, r.Answers
	how.Renderer, how.Others = r.Set.Renderer, r.Set.Others
	id, err := h.Record.Send(r.Draft.Batch, how.Sending)
	if err != nil {
		return 0, err
	}
	for _, s := range r.Shots {
		if s.Refusal != "" {
			continue
		}
		// The batch is sent, whatever becomes of this.
		if _, _, err := h.Do(p.Code, Editing{By: how.By}, edit.ShotVersion(s.Shot, s.Version)); err != nil {
			slog.Warn("a shot does not have its new version", "production", p.Code, "shot", s.Shot, "error", err)
		}
	}
	return id, nil
}

// name is what a batch of retakes is called without a name of its own.
func (r Retakes) name(code string) string {
	var shots []string
	for _, s := range r.Shots {
		if s.Refusal == "" {
			shots = append(shots, fmt.Sprintf("%s v%03d", s.Shot, s.Version))
		}
	}
	const most = 4
	if len(shots) > most {
		shots = append(shots[:most], fmt.Sprintf("and %d more", len(shots)-most))
	}
	return fmt.Sprintf("%s retakes: %s", code, strings.Join(shots, ", "))
}
