package farm

import (
	"context"
	"errors"
	"slices"
	"time"

	"reelhouse/core/job"
	"reelhouse/store"
)

// Several frames of a sequence may be rendered by one process, which saves that the scene is read again for each. Each
// is judged and published by itself; what breaks costs only the frame that it broke at a try, and those behind it are
// given back.

// A share is one frame of those that a process renders.
type share struct {
	lease *store.Lease
	log   *Log
	parts []part
	kept  []store.File
	done  time.Time // when its last file was written; the zero time before
	took  time.Duration
}

// renderTogether takes leased frames of one sequence to their ends. What is said of all of them goes to said.
func (n *Node) renderTogether(ctx, parent context.Context, leases []*store.Lease, said *Log) {
	var order job.Job
	var shares []*share
	for _, l := range leases {
		if takenOver(l) {
			log := NewLog()
			log.Add("%s, on node %s", stepName(l), n.Name)
			n.ended(ctx, parent, l, n.finish(ctx, parent, l, log, func(job.Message) {}), log)
			continue
		}
		s := &share{lease: l, log: NewLog()}
		s.log.Add("%s, on node %s, with %d frames in one process", stepName(l), n.Name, len(leases))
		j, parts, kept, err := newJob(n.House, l)
		if err != nil {
			n.ended(ctx, parent, l, err, s.log)
			continue
		}
		s.parts, s.kept = parts, kept
		for i := range j.Frames { // what is said of each frame stands with it
			j.Frames[i].Facts = slices.Concat(j.Facts, j.Frames[i].Facts)
		}
		frames := slices.DeleteFunc(j.Frames, func(f job.Frame) bool { return len(f.Files) == 0 })
		if len(shares) == 0 {
			order = j
			order.Facts, order.Frames = nil, nil
		}
		order.Frames = append(order.Frames, frames...)
		shares = append(shares, s)
	}
	began := time.Now()
	var made error
	if len(order.Frames) > 0 {
		l := shares[0].lease
		var these []*store.Lease
		for _, s := range shares {
			these = append(these, s.lease)
		}
		made = n.run(ctx, these, n.rendererFor(l), order, n.coresOf(l), func(m job.Message) {
			wrote(shares, m)
			n.heard(leases, m)
		}, said)
	}
	share := time.Since(began) / time.Duration(max(1, len(order.Frames)))
	for _, s := range shares {
		switch {
		case s.done.IsZero(), n.rendererFor(s.lease).Declared != nil: // which says at its end what it has written
			s.took = share
		default:
			s.took, began = s.done.Sub(began), s.done
		}
	}
	blamed := false
	for _, s := range shares {
		s.log.Append(said)
		whole := len(s.parts) == 0 || !s.done.IsZero() || made == nil
		switch {
		case parent.Err() != nil && !whole:
			n.ended(ctx, parent, s.lease, context.Cause(parent), s.log)
		case whole:
			// A process that was stopped has finished it before: that does not end with the process.
			n.ended(parent, parent, s.lease, n.finishShare(parent, s), s.log)
		case errors.Is(context.Cause(ctx), errTaken) && n.owns(s.lease): // another one of them was taken away
			n.giveBack(parent, s.lease)
		case !blamed || errors.Is(context.Cause(ctx), errTaken):
			blamed = true
			n.ended(ctx, parent, s.lease, made, s.log)
		default:
			n.giveBack(parent, s.lease)
		}
	}
}

// wrote notes that a file is complete.
func wrote(shares []*share, m job.Message) {
	if m.Event != job.Wrote {
		return
	}
	for _, s := range shares {
		left := slices.ContainsFunc(s.parts, func(p part) bool { return p.temp != m.Path && !p.wrote })
		for i := range s.parts {
			if s.parts[i].temp == m.Path {
				s.parts[i].wrote = true
				if !left {
					s.done = time.Now()
				}
			}
		}
	}
}

// finishShare judges the files of a frame that was rendered with others, puts them in place, and records it.
func (n *Node) finishShare(ctx context.Context, s *share) error {
	l := s.lease
	if err := n.House.Record.Check(l); err != nil {
		return err
	}
	n.Hub.Changed()
	placed, err := n.place(ctx, l, s.parts, s.log)
	if err != nil {
		return errors.Join(err, n.keep(ctx, l, placed, s.log))
	}
	seconds := s.took.Seconds()
	s.log.Last("good after %.2f s", seconds)
	return n.accept(ctx, l, seconds, append(s.kept, placed...), s.log)
}

// owns reports whether a frame is still the lease's.
func (n *Node) owns(l *store.Lease) bool {
	owned, err := n.House.Record.Owned(l)
	return owned && err == nil
}

// giveBack returns a frame that its process did not come to.
func (n *Node) giveBack(parent context.Context, l *store.Lease) {
	if n.Elsewhere != nil && parent.Err() != nil {
		return
	}
	n.settleAs(parent, l, clearLease(n.House, l), func() error { return n.House.Record.GiveBack(l) })
}
