package house

import (
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/edit"
	"reelhouse/core/frame"
	"reelhouse/core/geom"
	"reelhouse/core/naming"
	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/scene"
	"reelhouse/store"
)

// A Draft is what the current set-up of a production would send.
type Draft struct {
	// Set is the production with all of its codes looked up.
	Set      *production.Resolved
	Batch    plan.Batch
	Findings []preflight.Finding
	Problems []production.Problem // if there are any, there is no batch
	Measure  plan.Measure
	Diffs    []plan.Diff // of each sequence, beside what was sent before
	// paths of new frames, as far as they were looked at, where something stands that was not recorded
	Occupied []string
	Seen     int64 // number of the newest batch that News knows
	// Built and Checked are what the next draft of the production takes over from, where that is still so.
	Built   *plan.Built
	Checked *preflight.Checked
}

// Sendable reports whether the draft may be sent; confirmed says that a person has confirmed that it is meant so.
func (d Draft) Sendable(confirmed bool) bool {
	return len(d.Problems) == 0 && preflight.StateOf(d.Findings, confirmed) != preflight.Refused
}

// Refusal returns the first reason against sending, or nil.
func (d Draft) Refusal(confirmed bool) error {
	if len(d.Problems) > 0 {
		return d.Problems[0]
	}
	for _, f := range d.Findings {
		if f.Holds(confirmed) {
			return fmt.Errorf("%s: %s", f.Where, f.Message)
		}
	}
	return nil
}

// LastFrame returns the last frame at which the scene still moves.
func LastFrame(p production.Production, s *scene.Scene) int {
	return p.FirstFrame + int(math.Floor(s.Duration()*p.Rate.PerSecond()+1e-3))
}

// CameraNames returns the names of the scene's cameras.
func CameraNames(s *scene.Scene) []string {
	var names []string
	for _, i := range s.CameraNodes() {
		names = append(names, s.Nodes[i].Name)
	}
	return names
}

// LensName returns what the lens of a set-up camera is called, such as "35.0 mm", "" if the scene has no such camera.
func LensName(s *scene.Scene, name string, setup camera.Setup) string {
	source, err := camera.SourceOf(s, name)
	if err != nil || s.Unread {
		return ""
	}
	c := source.Optics
	if high := setup.Of(geom.Identity(), c).Camera.Height; high > 0 {
		return "orthographic, " + scene.Length(high)
	}
	return strconv.FormatFloat(setup.FocalOf(c), 'f', 1, 64) + " mm"
}

// Draft works out what a production would send now. It is kept until anything that it rests on changes.
func (h *House) Draft(p production.Production) (Draft, error) {
	return h.draft(p, plan.Whole, false)
}

// DraftOf is Draft of a revision, which is known again by its number.
func (h *House) DraftOf(r store.Revision) (Draft, error) {
	return h.draftAs(fmt.Sprintf("revision %d of %d", r.Number, r.ID), r.Production, plan.Whole, false)
}

// draft returns the draft that was kept, or a fresh one, which also notices files that have gone from the disk since.
func (h *House) draft(p production.Production, t plan.Trial, fresh bool) (Draft, error) {
	data, err := json.Marshal(p)
	if err != nil {
		return Draft{}, err
	}
	return h.draftAs(fmt.Sprintf("%x", sha256.Sum256(data)), p, t, fresh)
}

// draftAs is draft of a document that is known by a name.
func (h *House) draftAs(name string, p production.Production, t plan.Trial, fresh bool) (Draft, error) {
	began := time.Now()
	key, progress, err := h.draftKey(name, t)
	if err != nil {
		return Draft{}, err
	}
	h.mutex.Lock()
	same, known := h.drafts[key]
	h.mutex.Unlock()
	if known && !fresh && (same.progress == progress || began.Before(same.until)) {
		return same.Draft, nil
	}
	set := p.Resolve()
	d := Draft{Set: set, Problems: set.Problems}
	if len(d.Problems) > 0 {
		return d, nil
	}
	if d.Measure, err = h.Record.Measure(p.Code); err != nil {
		return d, err
	}
	d.Measure.FramesRenderedAtATime = 1
	last, lastProgress := h.lastDraft(p.Code)
	d.Built = last.Built.Again(set, d.Measure)
	d.Batch = d.Built.Batch
	kept := d.Built.Kept(last.Built)
	if t != plan.Whole {
		if d.Batch, err = h.try(d.Batch, t); err != nil {
			return d, err
		}
		last, kept = Draft{}, nil
	}
	s, err := h.Assets.Scene(p.Scene)
	if err != nil {
		d.Problems = []production.Problem{{Where: "scene", Field: "file", Message: err.Error()}}
		return d, nil
	}
	if d.Seen, err = h.Record.LastBatch(); err != nil {
		return d, err
	}
	if fresh || lastProgress != progress || last.Seen != d.Seen {
		last.Diffs = nil // frames have come or gone since
	}
	if d.Diffs, d.Occupied, err = h.news(d.Batch, fresh, last, kept); err != nil {
		return d, err
	}
	facts, err := h.facts(set, d.Batch, s, d.Diffs)
	facts.Occupied = d.Occupied
	if err != nil {
		return d, err
	}
	d.Checked = last.Checked.Again(d.Batch, facts, kept)
	d.Findings = d.Checked.Findings
	h.mutex.Lock()
	defer h.mutex.Unlock()
	if t == plan.Whole {
		h.last[p.Code] = keptDraft{d, progress, time.Time{}}
	}
	sequences := len(d.Batch.Sequences)
	delete(h.drafts, key)
	for _, other := range h.drafts {
		sequences += len(other.Batch.Sequences)
	}
	if len(h.drafts) >= keptDrafts || sequences > keptSequences {
		clear(h.drafts)
	}
	h.drafts[key] = keptDraft{d, progress, patience(began, time.Now())}
	return d, nil
}

// lastDraft returns the last draft of a production, and how far the queue had come; the zero value for none.
func (h *House) lastDraft(code string) (Draft, string) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	last := h.last[code]
	return last.Draft, last.progress
}

// Impact says what an edit changed of what would be rendered, from one revision of a production to the next; nil if
// that cannot be said, or nothing.
func (h *House) Impact(before, after store.Revision) (*plan.Impact, error) {
	was, err := h.DraftOf(before)
	if err != nil || was.Built == nil {
		return nil, err
	}
	is, err := h.DraftOf(after)
	if err != nil || is.Built == nil {
		return nil, err
	}
	impact := is.Built.Since(was.Built)
	if !impact.Any() {
		return nil, nil
	}
	return &impact, nil
}

// A keptDraft is one that was worked out.
type keptDraft struct {
	Draft
	progress string    // of the queue, that it knows of
	until    time.Time // until when it counts, however far the queue comes
}

// slowDraft is how long a draft may take that is worked out anew whenever a frame becomes good.
const slowDraft = 300 * time.Millisecond

// patience returns until when a draft counts that took from began to ended: that of a whole film is not worked out
// again and again while it renders.
func patience(began, ended time.Time) time.Time {
	if took := ended.Sub(began); took > slowDraft {
		return ended.Add(5 * took)
	}
	return ended
}

// How many drafts are kept, and how many sequences in all of them; one draft is kept, whatever it has.
const (
	keptDrafts    = 8
	keptSequences = 20_000
)

// draftKey returns what tells drafts apart, and what else they rest on: how far the queue has come, and how much room
// is left.
func (h *House) draftKey(name string, t plan.Trial) (key, progress string, err error) {
	last, err := h.Record.LastBatch()
	if err != nil {
		return "", "", err
	}
	marks, err := h.Record.Marks()
	return fmt.Sprintf("%s %s %d", name, t, last), marks + h.volumeMarks(), err
}

// undressed says what the looks of shots ask for that the scene does not have, by the shots' codes.
func undressed(set *production.Resolved, s *scene.Scene) map[string][]string {
	var found map[string][]string
	for i := range set.Shots {
		for _, v := range set.Shots[i].Views {
			if v.Look == nil || v.Look.Variant == "" && len(v.Look.Textures) == 0 {
				continue
			}
			if missing := v.Look.Missing(s); len(missing) > 0 {
				if found == nil {
					found = map[string][]string{}
				}
				found[set.Shots[i].Shot.Code] = missing
			}
		}
	}
	return found
}

// facts gathers what the rules need to know beside the batch.
func (h *House) facts(
	set *production.Resolved, b plan.Batch, s *scene.Scene, news []plan.Diff,
) (preflight.Facts, error) {
	p := set.Production
	volume := h.VolumeState(p.Volume)
	by, err := h.renderersOf(b)
	if err != nil {
		return preflight.Facts{}, err
	}
	f := preflight.Facts{
		Cameras: CameraNames(
			s,
		), LastFrame: LastFrame(p, s), FreeBytes: volume.Free, WorkBytes: h.VolumeState("").Free,
		VolumeFault: volume.Fault,
		Unreadable: p.Scene.Opaque != nil &&
			by.opaque, Unrendered: by.unrendered, Diffs: news, ViewLooks: map[string]string{},
	}
	if p.Scene.Opaque == nil {
		report, err := h.Assets.Report(p.Scene)
		if err != nil {
			return f, err
		}
		f.Reach = report.Size.Length()
		for _, t := range report.Textures {
			if t.Fault != "" {
				f.Missing = append(f.Missing, fmt.Sprintf("texture %s: %s", t.Name, t.Fault))
			}
		}
		f.Clear = s.Clear()
		f.Undressed = undressed(set, s)
	}
	shown := map[string]bool{}
	for i := range set.Shots {
		for _, v := range set.Shots[i].Views {
			shown[v.Code] = true
		}
	}
	for _, v := range p.ShotViews() {
		f.ViewLooks[v.Code] = v.Look
		if !shown[v.Code] {
			f.Unused = append(f.Unused, v.Code)
		}
	}
	if f.Cut, err = p.CutFrames(); err != nil {
		return f, err
	}
	f.Busy, err = h.Backlog()
	return f, err
}

// Backlog returns the seconds of work that the queue has, frames one after the other.
func (h *House) Backlog() (float64, error) { return h.Record.Backlog() }

// news compares a batch with what was sent before, and looks for files that stand in the way of what is new; fresh
// looks for every file on the disk.
//
// What an earlier draft has found of sequences that were taken over from it, in which kept tells their places, is not
// looked up again.
func (h *House) news(b plan.Batch, fresh bool, last Draft, kept []int) ([]plan.Diff, []string, error) {
	if last.Diffs != nil && kept != nil {
		return h.newsSince(b, last, kept)
	}
	var keys []string
	for i := range b.Sequences {
		for _, f := range b.Sequences[i].Files {
			keys = append(keys, f.Path.Key())
		}
	}
	sent, err := h.Record.SentUnder(keys)
	if err != nil {
		return nil, nil, err
	}
	by, err := h.renderersOf(b)
	if err != nil {
		return nil, nil, err
	}
	plain := &Plain{}
	earlier, batches, frames := map[int64]plan.Earlier{}, map[int64]store.Batch{}, 0
	for _, ids := range sent {
		for _, id := range ids {
			if _, known := earlier[id]; known {
				continue
			}
			q, err := h.Record.Sequence(id)
			if err != nil {
				return nil, nil, err
			}
			b, known := batches[q.BatchID]
			if !known {
				if b, err = h.Record.BatchAlone(q.BatchID); err != nil {
					return nil, nil, err
				}
				batches[q.BatchID] = b
			}
			frames += q.Counts.Total()
			if earlier[id], err = h.earlier(q, b, plain, fresh || frames <= looked); err != nil {
				return nil, nil, err
			}
		}
	}
	news := b.Against(by.of, func(key string) []plan.Earlier {
		var all []plan.Earlier
		for _, id := range sent[key] {
			all = append(all, earlier[id])
		}
		return all
	})
	occupied, err := h.occupied(b, news, plain, fresh)
	return news, occupied, err
}

// newsSince looks up only what was planned anew since an earlier draft.
func (h *House) newsSince(b plan.Batch, last Draft, kept []int) ([]plan.Diff, []string, error) {
	other := b
	other.Sequences = nil
	var places []int
	all := make([]plan.Diff, len(b.Sequences))
	for i, place := range kept {
		if place >= 0 {
			all[i] = last.Diffs[place]
			continue
		}
		places = append(places, i)
		other.Sequences = append(other.Sequences, b.Sequences[i])
	}
	news, occupied, err := h.news(other, false, Draft{}, nil)
	for n, i := range places {
		if err == nil {
			all[i] = news[n]
		}
	}
	return all, append(occupied, last.Occupied...), err
}

// looked is how many frames are looked for on the disk each time a draft is shown. Of more, that is done only when it
// is sent.
const looked = 5000

// mostOccupied is how many paths are named where something stands in the way.
const mostOccupied = 20

// occupied returns paths of frames that are new where something stands that no frame has recorded.
func (h *House) occupied(b plan.Batch, news []plan.Diff, plain *Plain, fresh bool) ([]string, error) {
	var found []string
	frames := 0
	for i, s := range b.Sequences {
		for n := range news[i].New.All() {
			if frames++; frames > looked && !fresh || len(found) >= mostOccupied {
				return found, nil
			}
			for _, f := range s.Files {
				rel := f.Path.Frame(n)
				if _, err := h.StatOutput(plain, rel); err != nil && !errors.Is(err, ErrNotPlain) {
					continue // nothing, or nothing that can be seen
				}
				claims, err := h.Record.Claims(rel)
				if err != nil {
					return nil, err
				}
				if len(claims) == 0 {
					found = append(found, rel)
				}
			}
		}
	}
	return found, nil
}

// earlier returns what has become of a sequence that was sent. Where the disk is looked at, a frame counts as good only
// while all of its files are there.
func (h *House) earlier(q store.Sequence, b store.Batch, plain *Plain, look bool) (plan.Earlier, error) {
	e := plan.Earlier{ID: q.ID, Name: b.Name, Labels: q.Spec.Labels, Print: q.Fingerprint}
	switch good, total := q.Counts[queue.Good], q.Counts.Total(); { // most of a film is either done or not begun
	case good == total && !look:
		e.Good = q.Spec.Frames
		return e, nil
	case good+q.Counts[queue.Lost]+q.Counts[queue.Failed]+q.Counts[queue.Dropped] == 0:
		e.Coming = q.Spec.Frames
		return e, nil
	}
	frames, err := h.Record.Frames(q.ID)
	if err != nil {
		return e, err
	}
	var sizes map[string]int64
	if look {
		if sizes, err = h.Record.FileSizes(q.ID); err != nil {
			return e, err
		}
	}
	whole := func(n int) bool {
		if !look {
			return true
		}
		for _, f := range q.Spec.Files {
			path := f.Path.Frame(n)
			info, err := h.StatOutput(plain, path)
			if err != nil || info.Size() != sizes[path] {
				return false
			}
		}
		return true
	}
	var good, coming []int
	for _, f := range frames {
		switch f.State {
		case queue.Good:
			if whole(f.Number) {
				good = append(good, f.Number)
			}
		case queue.Failed, queue.Dropped, queue.Lost:
		default:
			coming = append(coming, f.Number)
		}
	}
	e.Good, e.Coming = frame.SetOf(good), frame.SetOf(coming)
	return e, nil
}

// NextVersion returns the lowest version above the production's own under which none of its files was ever
// sent, so that no file of an earlier version is touched.
func (h *House) NextVersion(p production.Production) (int, error) {
	for _, o := range p.Outputs {
		pattern, err := naming.Parse(p.PatternOf(o))
		if err != nil {
			return 0, noVersion(err)
		}
		if !pattern.Has("version") {
			return 0, noVersion(
				fmt.Errorf("the name pattern of output %s has no (version), so the next version would write "+
					"the same paths; insert it first", o.Code),
			)
		}
	}
	shots := slices.Clone(p.Shots)
	for i := range shots {
		shots[i].InBatch = shots[i].InBatch && shots[i].Version == 0 // the others have versions of their own
	}
	p.Shots = shots
	for version := p.Version + 1; version <= production.MaxVersion; version++ {
		p.Version = version
		b, err := plan.Build(p, plan.Measure{})
		if err != nil {
			return 0, noVersion(err)
		}
		sent, err := h.anySent(b)
		if err != nil || !sent {
			return version, err
		}
	}
	return 0, noVersion(fmt.Errorf("there is no version above %d", production.MaxVersion))
}

// noVersion says why there is no next version, beside the version.
func noVersion(err error) error {
	return &edit.Mistake{Part: "production", Field: "version", Message: err.Error()}
}

func (h *House) anySent(b plan.Batch) (bool, error) {
	var keys []string
	for _, s := range b.Sequences {
		for _, f := range s.Files {
			keys = append(keys, f.Path.Key())
		}
	}
	sent, err := h.Record.SentUnder(keys)
	return len(sent) > 0, err
}
