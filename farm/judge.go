package farm

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path/filepath"
	"runtime"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/house"
	"reelhouse/store"
)

// A JudgeOrder is what a judge is to read, and what it must be. Files that others wrote are read by a process of its
// own, under limits: whatever they do to it, the server goes on.
type JudgeOrder struct {
	Files []JudgedFile `json:"files"`
}

// A JudgedFile is one of them.
type JudgedFile struct {
	Path string           `json:"path"`
	Want inspect.Expected `json:"want"`
}

// Judge reads the files of an order, and says of each its sum, and what is wrong with it.
func Judge(order JudgeOrder, say func(job.Message)) error {
	for _, f := range order.Files {
		sum, problem, err := judgeFile(f)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			problem = "the renderer did not write it"
		case errors.Is(err, house.ErrNotPlain):
			problem = "it is no plain file"
		case err != nil:
			return err
		}
		say(job.Message{Event: job.Judged, Path: f.Path, Bytes: sum.Bytes, SHA256: sum.SHA256, Text: problem})
	}
	return nil
}

// judgeFile judges what it has open, and takes the sum of the very same bytes.
func judgeFile(f JudgedFile) (sum store.File, problem string, err error) {
	file, info, err := house.OpenPlain(f.Path)
	if err != nil {
		return sum, "", err
	}
	defer file.Close()
	if r := inspect.Judge(file, info.Size(), f.Want); !r.Good() {
		return sum, r.Problems[0], nil
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return sum, "", err
	}
	if sum, err = house.SumOf(file); err == nil && sum.Bytes != info.Size() {
		problem = "it was written to while it was judged"
	}
	return sum, problem, err
}

// A verdict is what a judge has said of a part.
type verdict struct {
	part
	sum     store.File
	problem string // "" for a good one
}

// Memory of a judge, in bytes: what every program takes, and how many times what a file holds. OpenEXR is read a few
// lines at a time.
const (
	judgeLeast = 1 << 30
	judgeTimes = 4
)

// judge has parts judged, in a process of its own if the node has one.
func (n *Node) judge(ctx context.Context, parts []part, log *Log) ([]verdict, error) {
	var order JudgeOrder
	memory := int64(judgeLeast)
	for _, p := range parts {
		order.Files = append(order.Files, JudgedFile{p.temp, p.want})
		if p.want.Encoding.Format != output.EXR {
			memory = max(memory, judgeLeast+judgeTimes*p.want.Bytes())
		}
	}
	said := map[string]job.Message{}
	heard := func(m job.Message) {
		if m.Event == job.Judged {
			said[m.Path] = m
		}
	}
	if err := n.runJudge(ctx, order, memory, heard, log); err != nil {
		return nil, err
	}
	var all []verdict
	for _, p := range parts {
		m, judged := said[p.temp]
		if !judged {
			return nil, fmt.Errorf("the judge has not said what %s is", filepath.Base(p.final))
		}
		v := verdict{p, store.File{Path: p.final, Bytes: m.Bytes, SHA256: m.SHA256}, m.Text}
		if v.problem == "" {
			log.Add("checked %s", filepath.Base(p.final))
		}
		all = append(all, v)
	}
	return all, nil
}

func (n *Node) runJudge(ctx context.Context, order JudgeOrder, memory int64, heard func(job.Message), log *Log) error {
	if n.Judge.Command == "" {
		return Judge(order, heard)
	}
	if n.Judges != nil && memory <= judgesMemory {
		return n.judgedBy(ctx, n.Judges.Run(ctx, order, heard))
	}
	judge := n.Judge
	judge.Memory = memory
	return n.judgedBy(ctx, judge.Run(ctx, n.House.Work(), order, runtime.NumCPU(), heard, log))
}

// judgedBy says how judging has ended.
func (n *Node) judgedBy(ctx context.Context, err error) error {
	var start *startError
	if err != nil && ctx.Err() == nil && !errors.As(err, &start) {
		err = fmt.Errorf("its files could not be judged: %w", err)
	}
	return err
}

// badFiles says what is wrong with the first of verdicts that is not good, or nil.
func badFiles(all []verdict) error {
	for _, v := range all {
		if v.problem != "" {
			return fmt.Errorf("%s: %s", filepath.Base(v.final), v.problem)
		}
	}
	return nil
}
