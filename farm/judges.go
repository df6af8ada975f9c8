package farm

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"time"

	"reelhouse/core/job"
)

// Judges are processes that read what others wrote, one file after another: to start one for each file takes longer
// than most files do. One that fails is not used again; the file is given to a fresh one, and if that fails, too, it is
// the file's fault.
type Judges struct {
	// Program takes orders as lines, and answers each with a line; see JudgeOrders.
	Program Renderer
	// Work is the folder by which everything that they start is found.
	Work string

	room  chan struct{} // is full while all are at work
	mutex sync.Mutex
	idle  []*judging
	made  int
	ended bool
}

const (
	// A judge ends after so many orders, or when it had none for so long.
	mostJudged     = 1000
	judgesIdle     = 10 * time.Second
	judgesACore    = 2
	longestVerdict = 1 << 20 // bytes of a line of an answer
	// judgesMemory is what each may take, in bytes: enough for a picture of 8K that is read as a whole.
	judgesMemory = judgeLeast + 512<<20
)

// NewJudges returns judges of a house's work folder. None is started before it is wanted.
func NewJudges(program Renderer, work string) *Judges {
	return &Judges{Program: program, Work: work, room: make(chan struct{}, judgesACore*runtime.NumCPU())}
}

// A judgeAnswer is a line of what a judge says to an order: a verdict, or that there are no more.
type judgeAnswer struct {
	Verdict *job.Message `json:"verdict,omitempty"`
	Done    bool         `json:"done,omitempty"`
	Failed  string       `json:"failed,omitempty"` // why it could not read the files
}

// JudgeOrders does the orders that come, a line each, until there are no more. It answers each by a line for each file,
// and one at the end.
func JudgeOrders(in io.Reader, out io.Writer) error {
	buffered := bufio.NewWriter(out)
	orders, answers := json.NewDecoder(in), json.NewEncoder(buffered)
	for {
		var order JudgeOrder
		if err := orders.Decode(&order); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return fmt.Errorf("order: %w", err)
		}
		var wrong error
		end := judgeAnswer{Done: true}
		err := Judge(order, func(m job.Message) { wrong = cmp.Or(wrong, answers.Encode(judgeAnswer{Verdict: &m})) })
		if err != nil {
			end.Failed = err.Error()
		}
		if err := cmp.Or(wrong, answers.Encode(end), buffered.Flush()); err != nil {
			return err
		}
	}
}

// Run has an order done by a judge, as Renderer.Run does.
func (j *Judges) Run(ctx context.Context, order JudgeOrder, heard func(job.Message)) error {
	select {
	case j.room <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-j.room }()
	for {
		judge, err := j.take()
		if err != nil {
			return err
		}
		fresh := judge.did == 0
		verdicts, failed, err := judge.do(ctx, order)
		if err == nil {
			j.giveBack(judge)
			for _, m := range verdicts {
				heard(m)
			}
			if failed != "" {
				return errors.New(failed)
			}
			return nil
		}
		err = judge.end(err)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if fresh || errors.As(err, new(*startError)) {
			return err
		}
	}
}

// take returns a judge that has nothing to do, which is started if there is none.
func (j *Judges) take() (*judging, error) {
	j.mutex.Lock()
	defer j.mutex.Unlock()
	if j.ended {
		return nil, context.Canceled
	}
	for len(j.idle) > 0 {
		last := j.idle[len(j.idle)-1]
		j.idle = j.idle[:len(j.idle)-1]
		if last.rest.Stop() {
			return last, nil
		} // or it ends just now
	}
	j.made++
	mark := filepath.Join(j.Work, fmt.Sprintf("judge-%d-%d", os.Getpid(), j.made)) // different on all of the machine
	return startJudge(j.Program, j.Work, mark)
}

// giveBack keeps a judge for the next order.
func (j *Judges) giveBack(judge *judging) {
	j.mutex.Lock()
	defer j.mutex.Unlock()
	if j.ended || judge.did >= mostJudged {
		go judge.end(nil)
		return
	}
	j.idle = append(j.idle, judge)
	judge.rest = time.AfterFunc(judgesIdle, func() {
		j.mutex.Lock()
		for i, other := range j.idle {
			if other == judge {
				j.idle = append(j.idle[:i], j.idle[i+1:]...)
				break
			}
		}
		j.mutex.Unlock()
		_ = judge.end(nil)
	})
}

// Close ends those that have nothing to do, and lets nobody start one.
func (j *Judges) Close() {
	j.mutex.Lock()
	idle := j.idle
	j.idle, j.ended = nil, true
	j.mutex.Unlock()
	for _, judge := range idle {
		if judge.rest.Stop() {
			_ = judge.end(nil)
		}
	}
}

// A judging is a judge's process.
type judging struct {
	program    Renderer
	cmd        *exec.Cmd
	mark       string
	orders     io.WriteCloser
	answers    *bufio.Scanner
	read       *os.File
	complaints *tail
	did        int
	rest       *time.Timer
}

func startJudge(r Renderer, work, mark string) (*judging, error) {
	r.Memory = judgesMemory
	p := process{
		name: r.Name, line: append([]string{r.Command}, r.Args...), work: work, mark: mark,
		cores: runtime.NumCPU(), memory: r.Memory, supervisor: r.Supervisor,
	}
	line := p.under("--pass-on")
	j := &judging{program: r, cmd: exec.Command(line[0], line[1:]...), mark: mark, complaints: &tail{}}
	if len(r.Supervisor) > 0 {
		Apart(j.cmd)
	}
	j.cmd.WaitDelay = endsWithin
	j.cmd.Env = p.surroundings()
	var err error
	if j.orders, err = j.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	read, write, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	j.cmd.Stdout, j.cmd.Stderr = write, j.complaints
	err = j.cmd.Start()
	write.Close()
	if err != nil {
		read.Close()
		return nil, &startError{r.Name, err}
	}
	j.read, j.answers = read, bufio.NewScanner(read)
	j.answers.Buffer(nil, longestVerdict)
	return j, nil
}

// do has an order done, and returns what was said of its files, and why they could not all be read. If it fails the
// process is in no state to do another.
func (j *judging) do(ctx context.Context, order JudgeOrder) (said []job.Message, failed string, err error) {
	defer context.AfterFunc(ctx, j.stop)()
	j.did++
	if err := json.NewEncoder(j.orders).Encode(order); err != nil {
		return nil, "", err
	}
	for j.answers.Scan() {
		var a judgeAnswer
		if err := json.Unmarshal(j.answers.Bytes(), &a); err != nil {
			return nil, "", err
		}
		if a.Done {
			return said, a.Failed, nil
		}
		if a.Verdict == nil || len(said) == len(order.Files) {
			return nil, "", errBabbles
		}
		said = append(said, *a.Verdict)
	}
	if errors.Is(j.answers.Err(), bufio.ErrTooLong) {
		return nil, "", errBabbles
	}
	return nil, "", cmp.Or(j.answers.Err(), io.ErrUnexpectedEOF)
}

var errBabbles = errors.New("the judge says more than it was asked")

// stop ends the process, whatever it does.
func (j *judging) stop() {
	if len(j.program.Supervisor) > 0 {
		_ = j.cmd.Process.Signal(os.Interrupt) // it ends the judge, and then itself
	} else {
		_ = j.cmd.Process.Kill()
	}
}

// end lets the process end, and says how it has ended if something was wrong. It ends by itself when there is nobody
// who orders, or listens; one that does not is stopped.
func (j *judging) end(wrong error) error {
	j.orders.Close()
	j.read.Close()
	late := time.AfterFunc(endsWithin, j.stop)
	err := j.cmd.Wait()
	late.Stop()
	var exit *exec.ExitError
	if errors.As(err, &exit) && exit.ExitCode() < 0 && len(j.program.Supervisor) > 0 {
		endMarked(orderVariable + j.mark)
	}
	if wrong == nil {
		return nil
	}
	if ended := j.program.ended(context.Background(), err, "", j.complaints); ended != nil &&
		!errors.Is(wrong, errBabbles) {
		wrong = ended
	}
	if lines := j.complaints.lines(); len(lines) > 0 && !errors.As(wrong, new(*startError)) {
		wrong = fmt.Errorf("%w: %s", wrong, strings.Join(lines[max(0, len(lines)-3):], "; "))
	}
	return wrong
}
