package farm

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/store"
)

// A follow-up is made by a program from files that are in place. These are read before, so that what it is made from is
// what was judged; what comes out is published like any other file.

// repeats reports whether a lease is of rendering a frame once more.
func repeats(l *store.Lease) bool {
	return l.Sequence.Spec.FollowUp != nil && l.Sequence.Spec.FollowUp.Kind == string(work.Repeat)
}

// errInputsLost says that a follow-up waits until its inputs are there again.
var errInputsLost = errors.New("an input is not what was judged; it waits until that is rendered again")

// follow makes the files of a frame of a follow-up, and puts them in place.
func (n *Node) follow(ctx context.Context, l *store.Lease, log *Log, heard func(job.Message)) ([]store.File, error) {
	what := l.Sequence.Spec.FollowUp
	program, known := n.FollowUps[what.Work()]
	if !known {
		return nil, fmt.Errorf("the kind of work %s is not in the configuration", what.Work())
	}
	order, err := n.House.Record.OrderOf(l.Batch, l.Sequence, l.Number)
	if err != nil {
		return nil, err
	}
	if len(order.Inputs) == 0 { // they were lost since it was taken
		log.Last("it waits: what it is made from is not there any more")
		return nil, errInputsLost
	}
	l.Made = &store.Made{Inputs: fingerprint.OfInputs(order), Program: program.Print()}
	if err := n.readInputs(ctx, l, &order, log); err != nil {
		return nil, err
	}
	parts, err := n.orderParts(l, &order)
	if err != nil {
		return nil, err
	}
	if what.Pictures() {
		program.Memory = cmp.Or(l.Needs.Memory, program.Memory)
		return n.make(ctx, l, order, program, n.coresOf(l), parts, nil, log, heard)
	}
	program.Memory = l.Needs.Memory
	before := n.inputStates(order)
	made := n.run(ctx, []*store.Lease{l}, program, order, n.coresOf(l), heard, log)
	if name := firstChanged(order, before, n.inputStates(order)); name != "" && ctx.Err() == nil {
		for i, in := range order.Inputs {
			if n.House.InBucket(in.Name) && before[i] != n.inputState(in) {
				_ = os.Remove(in.Path) // which is a copy, and none of it any more
			}
		}
		err := n.readInputs(ctx, l, &order, log)
		if errors.Is(err, errInputsLost) {
			err = fmt.Errorf("its program has changed what it was given, such as %s", name)
		}
		made = errors.Join(err, made)
	}
	if made != nil {
		return nil, made
	}
	return n.placeMade(l, parts, log)
}

// orderParts says where the files of an order are written.
func (n *Node) orderParts(l *store.Lease, order *job.FollowUp) (parts []part, err error) {
	spec := l.Sequence.Spec
	if !spec.FollowUp.Pictures() {
		for i, f := range spec.Files {
			p, err := partOf(n.House, l, f.Path.Frame(l.Number))
			if err != nil {
				return nil, err
			}
			parts = append(parts, p)
			order.Outputs[i].Path = p.temp
		}
		return parts, nil
	}
	j, parts, _, err := newJobBut(n.House, l, nil) // what was made of other inputs is no part of it
	if err != nil {
		return nil, err
	}
	j.Passes = spec.Passes
	j.Facts = append(j.Facts, job.Fact{Name: "madeFrom", Value: string(l.Made.Inputs.MadeBy(l.Made.Program))})
	if g := spec.FollowUp.Grade; g != nil {
		j.Facts = append(j.Facts, job.Fact{Name: "grade", Value: g.Describe()})
	}
	order.Picture = &j
	order.Outputs = nil
	for _, p := range parts {
		order.Outputs = append(order.Outputs, job.Output{Extension: filepath.Ext(p.final), Path: p.temp})
	}
	return parts, l.Source.Spec.ReadFor(order, l.Number, spec.FollowUp.Needs())
}

// An inputState is by what it is seen that a file was written to.
type inputState struct {
	bytes int64
	time  time.Time
}

// inputStates returns how the inputs of an order are now, in their order; the zero value for one that is not there.
func (n *Node) inputStates(order job.FollowUp) []inputState {
	all := make([]inputState, len(order.Inputs))
	for i, in := range order.Inputs {
		all[i] = n.inputState(in)
	}
	return all
}

// inputState returns how an input is now: the file itself, or the copy of one in a bucket.
func (n *Node) inputState(in job.Input) inputState {
	info, err := os.Lstat(in.Path)
	if !n.House.InBucket(in.Name) {
		info, err = n.House.StatOutput(&house.Plain{}, in.Name)
	}
	if err != nil {
		return inputState{}
	}
	return inputState{info.Size(), info.ModTime()}
}

// firstChanged names the first input that was written to, "" for none.
func firstChanged(order job.FollowUp, before, now []inputState) string {
	for i, in := range order.Inputs {
		if before[i] != now[i] {
			return in.Name
		}
	}
	return ""
}

// partOf returns where a file of a lease is written, and makes the folder for it.
func partOf(h *house.House, l *store.Lease, final string) (part, error) {
	if err := h.OutputFolder(final); err != nil {
		return part{}, err
	}
	whole, err := h.OutputPath(final)
	return part{temp: tempName(whole, leaseMark(l)), final: final}, err
}

// placeMade puts files in place that are no pictures: each has to be there, and to hold something.
func (n *Node) placeMade(l *store.Lease, parts []part, log *Log) ([]store.File, error) {
	if err := n.House.Record.Check(l); err != nil {
		return nil, err
	}
	n.Hub.Changed()
	var made []verdict
	for _, p := range parts {
		sum, err := sumOfPlain(p.temp)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil, fmt.Errorf("%s: the program did not write it", filepath.Base(p.final))
		case errors.Is(err, house.ErrNotPlain):
			return nil, fmt.Errorf("%s: it is no plain file", filepath.Base(p.final))
		case err != nil:
			return nil, err
		case sum.Bytes == 0:
			return nil, fmt.Errorf("%s: it is empty", filepath.Base(p.final))
		}
		made = append(made, verdict{part: p, sum: store.File{Path: p.final, Bytes: sum.Bytes, SHA256: sum.SHA256}})
	}
	return publish(n.House, l, made, log)
}

// readInputs finds the inputs of an order on this machine, and reads each, to see that it is what was judged. One that
// is not makes its frame lost.
func (n *Node) readInputs(ctx context.Context, l *store.Lease, order *job.FollowUp, log *Log) error {
	faults, wrong := map[int]map[string]string{}, 0 // by frames and paths
	for i := range order.Inputs {
		if err := ctx.Err(); err != nil {
			return err
		}
		in := &order.Inputs[i]
		fault, err := n.House.Fault(true, store.File{Path: in.Name, Bytes: in.Bytes, SHA256: in.SHA256})
		if err != nil {
			return err
		}
		if fault != "" {
			wrong++
			log.Add("%s %s", in.Name, fault)
			if faults[in.Frame] == nil {
				faults[in.Frame] = map[string]string{}
			}
			faults[in.Frame][in.Name] = fault
			continue
		}
		if in.Path, err = n.House.ReadPath(in.Name); err != nil {
			return err
		}
	}
	log.Add("%d inputs were read, and are what was judged", len(order.Inputs)-wrong)
	if wrong == 0 {
		return nil
	}
	files, err := n.House.Record.SequenceFiles(l.Source.ID)
	if err != nil {
		return err
	}
	for _, f := range files {
		if faults[f.Number] == nil {
			continue
		}
		if _, err := n.House.Record.Miss(l.Source.ID, f.Number, f.Lease, faults[f.Number]); err != nil {
			return err
		}
	}
	log.Last("it waits: %d of its inputs are not what was judged", wrong)
	return errInputsLost
}

// otherwise says that a frame that was rendered once more did not come out as it was. Trying again does not help.
type otherwise struct{ what string }

func (o *otherwise) Error() string { return o.what }

// A repetition is what the file says that comes of rendering a frame once more with the same outcome.
type repetition struct {
	Task     string               `json:"task"`
	Renderer fingerprint.Renderer `json:"renderer"`
	Same     bool                 `json:"same"`
	Files    []repeated           `json:"files"`
}

type repeated struct {
	Name   string `json:"name"`
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
}

// repeat renders a good frame once more, holds what comes out against what is recorded of it, and removes it again.
func (n *Node) repeat(ctx context.Context, l *store.Lease, log *Log, heard func(job.Message)) ([]store.File, error) {
	recorded, err := n.House.Record.Files(l.Source.ID, l.Number)
	if err != nil {
		return nil, err
	}
	source := *l
	source.Sequence = l.Source
	j, parts, _, err := newJobBut(n.House, &source, nil)
	if err != nil {
		return nil, err
	}
	by := n.rendererFor(l)
	l.Made = &store.Made{Inputs: l.Source.Print(l.Number), Program: by.Print()}
	if err := n.run(ctx, []*store.Lease{l}, by, j, n.coresOf(l), heard, log); err != nil {
		return nil, err
	}
	judged, err := n.judge(ctx, parts, log)
	if err == nil {
		err = badFiles(judged)
	}
	if err != nil {
		return nil, err
	}
	outcome := repetition{Task: l.Source.Task(l.Number, 0).String(), Renderer: by.Print(), Same: true}
	for _, v := range judged {
		i := slices.IndexFunc(recorded, func(f store.File) bool { return f.Path == v.final })
		if i < 0 || recorded[i].SHA256 != v.sum.SHA256 {
			return nil, n.cameOtherwise(l, v)
		}
		outcome.Files = append(outcome.Files, repeated{v.final, v.sum.Bytes, v.sum.SHA256})
		if err := os.Remove(v.temp); err != nil {
			return nil, err
		}
	}
	log.Add("the same bytes came out of all %d files", len(judged))
	p, err := partOf(n.House, l, l.Sequence.Spec.Files[0].Path.Frame(l.Number))
	if err != nil {
		return nil, err
	}
	text, err := json.MarshalIndent(outcome, "", "  ")
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(p.temp, append(text, '\n'), 0o644); err != nil {
		return nil, err
	}
	return n.placeMade(l, []part{p}, log)
}

// cameOtherwise says in what a file that was rendered once more differs from the one that is there.
func (n *Node) cameOtherwise(l *store.Lease, v verdict) error {
	what := fmt.Sprintf("%s came out otherwise", filepath.Base(v.final))
	if why := l.Batch.Plan.Varies(l.Source.Spec, l.Source.Renderer); why != "" {
		what += ", as it may: " + why
	}
	if path, err := n.House.ReadPath(v.final); err == nil {
		if difference, err := differenceOf(path, v.temp); err == nil {
			what += "; " + difference
		}
	}
	return &otherwise{what}
}

// differenceOf says in what two pictures differ.
func differenceOf(was, is string) (string, error) {
	before, err := os.Open(was)
	if err != nil {
		return "", err
	}
	defer before.Close()
	now, err := os.Open(is)
	if err != nil {
		return "", err
	}
	defer now.Close()
	wasThere, err := before.Stat()
	if err != nil {
		return "", err
	}
	isThere, err := now.Stat()
	if err != nil {
		return "", err
	}
	return inspect.Difference(before, now, wasThere.Size(), isThere.Size())
}
