package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/core/work"
)

// A Renderer is a program that keeps the renderer contract, or one that puts frames together or judges files, and says
// so in the same way. The path of its order, a JSON file, is its last argument.
type Renderer struct {
	Name    string   `json:"name"`
	Command string   `json:"command"`
	Args    []string `json:"args"`
	// Version is another one whenever the program makes other pixels or files of the same order; "" for one that never
	// does.
	Version string `json:"version"`
	// Varies says that it makes other bytes each time.
	Varies bool `json:"varies"`
	// Declared says how a program of another maker is used, which does not keep the contract; nil for one that does.
	Declared *work.Program `json:"-"`
	// Supervisor is the command that starts it, and ends it together with all that it has started; none for tests.
	Supervisor []string `json:"-"`
	// Memory is how many bytes it may take; 0 for any. It needs a supervisor.
	Memory int64 `json:"-"`
}

// Print returns the renderer as fingerprints know it.
func (r Renderer) Print() fingerprint.Renderer {
	return fingerprint.Renderer{Name: r.Name, Version: r.Version, Varies: r.Varies}
}

// Offered returns the renderer as the house tells of it, with what it needs.
func (r Renderer) Offered(needs work.Override) work.Renderer {
	o := work.Renderer{Renderer: r.Print(), Needs: needs}
	if r.Declared != nil {
		o.Scenes, o.Files = r.Declared.Scenes, r.Declared.Files
	}
	return o
}

// startError says that a program could not be started, which is not the fault of the frame.
type startError struct {
	name string
	err  error
}

func (e *startError) Error() string {
	return fmt.Sprintf("renderer %s cannot be started: %v", e.name, e.err)
}
func (e *startError) Unwrap() error { return e.err }

// By these variables everything that a node has started is found again: all of it, and what belongs to one order.
const (
	workVariable  = "REELHOUSE_WORK="
	orderVariable = "REELHOUSE_ORDER="
)

// How long is waited for a program that was told to end, or that has ended while something that it started still holds
// its output.
const (
	endsWithin  = 5 * time.Second
	drainWithin = 2 * time.Second
)

// A supervisor says that the program could not be started by this code, as shells do, and by a line that begins so.
const (
	ExitNotStarted = 127
	NotStarted     = "not started: "
)

// Run gives an order to a child process and returns when that has ended. Messages go to heard, one at a time.
// Everything that the child says goes to log. The child is ended when ctx ends, and its standard input closes when this
// process does, which tells it to end by itself. Whatever else holds its output then is not waited for.
func (r Renderer) Run(ctx context.Context, work string, order any, cores int, heard func(job.Message), log *Log) error {
	if r.Declared != nil {
		j, frames := order.(job.Job)
		if !frames {
			return fmt.Errorf("renderer %s renders frames, and nothing else", r.Name)
		}
		return r.runDeclared(ctx, work, j, cores, heard, log)
	}
	file, err := os.CreateTemp(work, "job-*.json")
	if err != nil {
		return fmt.Errorf("job file: %w", err)
	}
	defer os.Remove(file.Name())
	err = json.NewEncoder(file).Encode(order)
	if err := errors.Join(err, file.Close()); err != nil {
		return fmt.Errorf("job file: %w", err)
	}
	failure := ""
	p := process{
		name: r.Name, line: append(append([]string{r.Command}, r.Args...), file.Name()), work: work,
		mark: file.Name(), cores: cores, memory: r.Memory, supervisor: r.Supervisor,
		hear: func(out io.Reader) error {
			return job.Listen(out, func(m job.Message) {
				if m.Event == job.Failed {
					failure = m.Text
				}
				if m.Event == job.Used { // which only a node says
					m.Event = job.Note
				}
				log.message(m)
				heard(m)
			})
		},
	}
	complaints, err := p.run(ctx, heard, log)
	return r.ended(ctx, err, failure, complaints)
}

// ended says how a program has ended.
func (r Renderer) ended(ctx context.Context, err error, failure string, complaints *tail) error {
	if errors.Is(err, exec.ErrWaitDelay) {
		err = nil // it has ended well
	}
	var exit *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case len(r.Supervisor) > 0 && errors.As(err, &exit) &&
		exit.ExitCode() == ExitNotStarted && complaints.first(NotStarted) != "":
		return &startError{r.Name, errors.New(complaints.first(NotStarted))}
	case failure != "":
		return errors.New(failure)
	case err != nil:
		return fmt.Errorf("renderer %s ended badly: %w", r.Name, err)
	}
	return nil
}
