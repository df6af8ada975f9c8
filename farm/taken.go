package farm

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"

	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/store"
)

// takenOver reports whether the frame of a lease is not rendered, but taken over from a sequence that was sent before.
func takenOver(l *store.Lease) bool {
	_, taken := l.Sequence.Spec.TakenAt(l.Number)
	return taken
}

// takeOver copies the files of a frame from an earlier sequence, as they were judged there, and puts them in place.
func (n *Node) takeOver(
	ctx context.Context, l *store.Lease, log *Log, _ func(job.Message),
) ([]store.File, error) {
	t, _ := l.Sequence.Spec.TakenAt(l.Number)
	source, err := n.House.Record.Sequence(t.Sequence)
	if err != nil {
		return nil, err
	}
	frame, err := n.House.Record.Frame(source.ID, l.Number)
	if err != nil {
		return nil, err
	}
	task := source.Task(l.Number, 0)
	if frame.State != queue.Good {
		return nil, &otherwise{
			fmt.Sprintf("%s, of which it is taken over, is %s; mend that, and retry", task, frame.State),
		}
	}
	recorded, err := n.House.Record.Files(source.ID, l.Number)
	if err != nil {
		return nil, err
	}
	var made []verdict
	faults := map[string]string{}
	for _, f := range l.Sequence.Spec.Files {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		from, known := sameFile(source.Spec, f, recorded, l.Number)
		if !known {
			return nil, &otherwise{fmt.Sprintf("%s has no file of output %s, %s", task, f.Output, f.Label)}
		}
		p, err := partOf(n.House, l, f.Path.Frame(l.Number))
		if err != nil {
			return nil, err
		}
		fault, err := n.House.Fault(true, from)
		if err != nil {
			return nil, err
		}
		if fault != "" {
			log.Add("%s %s", from.Path, fault)
			faults[from.Path] = fault
			continue
		}
		if err := n.copyTaken(from, p); err != nil {
			return nil, err
		}
		made = append(made, verdict{part: p, sum: store.File{Path: p.final, Bytes: from.Bytes, SHA256: from.SHA256}})
	}
	if len(faults) > 0 {
		if _, err := n.House.Record.Miss(source.ID, l.Number, frame.Lease, faults); err != nil {
			return nil, err
		}
		return nil, &otherwise{fmt.Sprintf("%s, of which it is taken over, is lost; mend that, and retry", task)}
	}
	if err := n.House.Record.Check(l); err != nil {
		return nil, err
	}
	n.Hub.Changed()
	log.Add("its files are taken over from %s, as they were rendered as version %d", task, t.Version)
	return publish(n.House, l, made, log)
}

// sameFile finds the recorded file of an earlier sequence that is of the same output, with the same passes.
func sameFile(of plan.Sequence, f plan.FileSequence, recorded []store.File, number int) (store.File, bool) {
	i := slices.IndexFunc(
		of.Files,
		func(w plan.FileSequence) bool { return w.Output == f.Output && w.Label == f.Label },
	)
	if i < 0 {
		return store.File{}, false
	}
	path := of.Files[i].Path.Frame(number)
	k := slices.IndexFunc(recorded, func(r store.File) bool { return r.Path == path })
	if k < 0 {
		return store.File{}, false
	}
	return recorded[k], true
}

// copyTaken copies a file, and reads the copy: it is to be what was judged. Where the disk can, both share what they
// hold.
func (n *Node) copyTaken(from store.File, to part) error {
	path, err := n.House.ReadPath(from.Path)
	if err != nil {
		return err
	}
	in, err := os.Open(path)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(to.temp)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	if err := errors.Join(err, out.Close()); err != nil {
		return err
	}
	sum, err := sumOfPlain(to.temp)
	if err != nil {
		return err
	}
	if sum.SHA256 != from.SHA256 {
		return fmt.Errorf("%s: the copy is not what was judged", filepath.Base(to.final))
	}
	return nil
}

// approvedStays says why files that were made again of an approved frame, which was lost, cannot stand for it: they are
// not what was approved. It is nil for other frames.
func (n *Node) approvedStays(l *store.Lease, judged []verdict) error {
	by, approved, err := n.House.Record.Approver(l.SequenceID, l.Number)
	if err != nil || !approved {
		return err
	}
	recorded, err := n.House.Record.Files(l.SequenceID, l.Number)
	if err != nil {
		return err
	}
	for _, v := range judged {
		i := slices.IndexFunc(recorded, func(f store.File) bool { return f.Path == v.final })
		if i >= 0 && recorded[i].SHA256 != v.sum.SHA256 {
			return &otherwise{fmt.Sprintf(
				"%s came out otherwise than %s has approved; take the approval back, and retry",
				filepath.Base(v.final), by,
			)}
		}
	}
	return nil
}
