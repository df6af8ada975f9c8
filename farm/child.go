package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
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
	// Supervisor is the command that starts it, and ends it together with all that it has started; none for tests.
	Supervisor []string `json:"-"`
	// Memory is how many bytes it may take; 0 for any. It needs a supervisor.
	Memory int64 `json:"-"`
}

// Print returns the renderer as fingerprints know it.
func (r Renderer) Print() fingerprint.Renderer {
	return fingerprint.Renderer{Name: r.Name, Version: r.Version, Varies: r.Varies}
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

// command returns the command line for an order.
func (r Renderer) command(order string) []string {
	line := append(append([]string{r.Command}, r.Args...), order)
	if len(r.Supervisor) == 0 {
		return line
	}
	under := append([]string(nil), r.Supervisor...)
	if r.Memory > 0 {
		under = append(under, "--memory", strconv.FormatInt(r.Memory, 10))
	}
	return append(append(under, "--"), line...)
}

// Run gives an order to a child process and returns when that has ended. Messages go to heard, one at a time.
// Everything that the child says goes to log. The child is ended when ctx ends, and its standard input closes when this
// process does, which tells it to end by itself. Whatever else holds its output then is not waited for.
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
	line := r.command(file.Name())
	cmd := exec.CommandContext(ctx, line[0], line[1:]...)
	cmd.WaitDelay = endsWithin
	if len(r.Supervisor) > 0 {
		apart(cmd)
		cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) } // it ends the program, and then itself
	}
	mark := orderVariable + file.Name()
	cmd.Env = append(os.Environ(), fmt.Sprintf("GOMAXPROCS=%d", cores), workVariable+work, mark)
	complaints := &tail{}
	cmd.Stderr = complaints
	input, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	defer input.Close()
	read, write, err := os.Pipe()
	if err != nil {
		return err
	}
	defer read.Close()
	cmd.Stdout = write
	log.Add("renderer %s starts: %s", r.Name, strings.Join(cmd.Args, " "))
	err = cmd.Start()
	write.Close()
	if err != nil {
		return &startError{r.Name, err}
	}
	ears := make(chan string, 1)
	go func() {
		failure := ""
		if err := job.Listen(read, func(m job.Message) {
			if m.Event == job.Failed {
				failure = m.Text
			}
			log.message(m)
			heard(m)
		}); err != nil && !errors.Is(err, os.ErrClosed) {
			log.Add("its output could not be read to the end: %v", err)
		}
		ears <- failure
	}()
	err = cmd.Wait()
	if exit := (*exec.ExitError)(nil); len(r.Supervisor) > 0 && errors.As(err, &exit) &&
		exit.ExitCode() < 0 {
		endMarked(mark) // the supervisor was killed, and nobody else ends what it has started
	}
	failure, quiet := "", time.NewTimer(drainWithin)
	defer quiet.Stop()
	select {
	case failure = <-ears:
	case <-quiet.C: // something that it started holds its output
		read.Close()
		failure = <-ears
		log.Add("something that it started is still there, and is not waited for")
	}
	for _, line := range complaints.lines() {
		log.Add("%s", line)
	}
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
