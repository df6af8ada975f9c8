package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"reelhouse/core/job"
)

// A Renderer is a program that keeps the renderer contract, or one that puts frames together and says so in the same way. The path of its order, a
// JSON file, is its last argument.
type Renderer struct {
	Name    string   `json:"name"`
	Command string   `json:"command"`
	Args    []string `json:"args"`
}

// errorTail is how many of the last lines of a child's error output are kept.
const errorTail = 40

// Run gives an order to a child process and returns when that has ended. Messages go to heard, one at a time.
// Everything that the child says goes to log. The child is killed when ctx ends, and its standard input
// closes when this process does, which tells it to end by itself.
func (r Renderer) Run(ctx context.Context, work string, order any, cores int, heard func(job.Message), log *Log) error {
	file, err := os.CreateTemp(work, "job-*.json")
	if err != nil {
		return fmt.Errorf("job file: %w", err)
	}
	defer os.Remove(file.Name())
	err = json.NewEncoder(file).Encode(order)
	if err := errors.Join(err, file.Close()); err != nil {
		return fmt.Errorf("job file: %w", err)
	}
	cmd := exec.CommandContext(ctx, r.Command, append(r.Args[:len(r.Args):len(r.Args)], file.Name())...)
	cmd.WaitDelay = 5 * time.Second
	cmd.Env = append(os.Environ(), fmt.Sprintf("GOMAXPROCS=%d", cores))
	complaints := &tail{}
	cmd.Stderr = complaints
	input, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	defer input.Close()
	output, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	log.Add("renderer %s starts: %s", r.Name, strings.Join(cmd.Args, " "))
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("renderer %s cannot be started: %w", r.Name, err)
	}
	var failure string
	listening := job.Listen(output, func(m job.Message) {
		if m.Event == job.Failed {
			failure = m.Text
		}
		log.message(m)
		heard(m)
	})
	err = cmd.Wait()
	for _, line := range complaints.lines() {
		log.Add("%s", line)
	}
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case failure != "":
		return errors.New(failure)
	case err != nil:
		return fmt.Errorf("renderer %s ended badly: %w", r.Name, err)
	case listening != nil:
		return fmt.Errorf("renderer %s: %w", r.Name, listening)
	}
	return nil
}

// A Log collects what happens to a frame, a line at a time with its clock time.
type Log struct {
	mutex sync.Mutex
	text  strings.Builder
	now   func() time.Time
}

// NewLog returns an empty log.
func NewLog() *Log { return &Log{now: time.Now} }

// maxLog is how long a log may grow; what comes later is not kept.
const maxLog = 1 << 20

// Add adds a line.
func (l *Log) Add(format string, args ...any) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.text.Len() < maxLog {
		fmt.Fprintf(&l.text, "%s  %s\n", l.now().UTC().Format("15:04:05.000"), fmt.Sprintf(format, args...))
	}
}

func (l *Log) message(m job.Message) {
	switch m.Event {
	case job.Started:
		l.Add("frame %d started", m.Frame)
	case job.Progress:
		text := fmt.Sprintf("%3.0f %%", m.Progress*100)
		if m.Remaining > 0 {
			text += fmt.Sprintf(", %.1f s left", m.Remaining)
		}
		l.Add("%s%s", text, taken(m))
	case job.Wrote:
		l.Add("wrote %s, %d bytes, after %.2f s%s", filepath.Base(m.Path), m.Bytes, m.Seconds, taken(m))
	case job.Finished:
		l.Add("renderer finished")
	default:
		l.Add("%s: %s", m.Event, m.Text)
	}
}

// taken says how fast a renderer is and how much memory it has taken, as far as it tells.
func taken(m job.Message) string {
	text := ""
	if m.RaysPerSecond > 0 {
		text += fmt.Sprintf(", %.2f million rays/s", m.RaysPerSecond/1e6)
	}
	if m.Memory > 0 {
		text += fmt.Sprintf(", %.0f MB at most", float64(m.Memory)/1e6)
	}
	return text
}

func (l *Log) String() string {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.text.String()
}

// A tail keeps the last lines that are written to it.
type tail struct {
	kept []string
	open string
}

func (t *tail) Write(p []byte) (int, error) {
	parts := strings.Split(t.open+string(p), "\n")
	t.open = parts[len(parts)-1]
	if len(t.open) > 4096 {
		t.open = t.open[:4096]
	}
	t.kept = append(t.kept, parts[:len(parts)-1]...)
	if extra := len(t.kept) - errorTail; extra > 0 {
		t.kept = append([]string(nil), t.kept[extra:]...)
	}
	return len(p), nil
}

func (t *tail) lines() []string {
	if t.open == "" {
		return t.kept
	}
	return append(t.kept, t.open)
}
