package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/job"
)

// A process is a program that a node runs, under its supervisor if there is one.
type process struct {
	name        string
	line        []string
	environment []string // beside the node's own
	folder      string   // that it runs in; "" for the node's
	work        string   // the node's work folder
	mark        string   // by which everything that it starts is found, different for each
	cores       int
	memory      int64 // bytes that it may take; 0 for any, and it needs a supervisor
	supervisor  []string
	together    bool // what it complains of is heard with what it says

	// hear reads what it says, to the end.
	hear func(out io.Reader) error
}

// under returns the command line with which it is started. flags are for the supervisor.
func (p process) under(flags ...string) []string {
	if len(p.supervisor) == 0 {
		return p.line
	}
	under := append(append([]string(nil), p.supervisor...), flags...)
	if p.memory > 0 {
		under = append(under, "--memory", strconv.FormatInt(p.memory, 10))
	}
	return append(append(under, "--"), p.line...)
}

// surroundings returns the environment that it has beside its own.
func (p process) surroundings() []string {
	return append(os.Environ(), fmt.Sprintf("GOMAXPROCS=%d", p.cores), workVariable+p.work, orderVariable+p.mark)
}

// run runs it to its end, and says what it has taken in all. It is ended when ctx ends, and its standard input closes
// when this process does, which tells it to end by itself. Whatever else holds its output then is not waited for. The
// error is that of os/exec, or a startError.
func (p process) run(ctx context.Context, heard func(job.Message), log *Log) (complaints *tail, err error) {
	line := p.under()
	cmd := exec.CommandContext(ctx, line[0], line[1:]...)
	cmd.WaitDelay, cmd.Dir = endsWithin, p.folder
	if len(p.supervisor) > 0 {
		Apart(cmd)
		cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) } // it ends the program, and then itself
	}
	mark := orderVariable + p.mark
	cmd.Env = append(p.surroundings(), p.environment...)
	complaints = &tail{}
	input, err := cmd.StdinPipe()
	if err != nil {
		return complaints, err
	}
	defer input.Close()
	read, write, err := os.Pipe()
	if err != nil {
		return complaints, err
	}
	defer read.Close()
	cmd.Stdout, cmd.Stderr = write, complaints
	if p.together {
		cmd.Stderr = io.MultiWriter(write, complaints)
	}
	used := func() (job.Message, bool) { return usedBy(cmd.ProcessState) }
	if len(p.supervisor) > 0 {
		tells, told, err := os.Pipe()
		if err != nil {
			write.Close()
			return complaints, err
		}
		defer tells.Close()
		defer told.Close()
		cmd.ExtraFiles, cmd.Env = []*os.File{told}, append(cmd.Env, UsageVariable+"3") // the first after the usual ones
		used = func() (job.Message, bool) { told.Close(); return usedAsTold(tells) }
	}
	log.Add("%s starts: %s", p.name, strings.Join(cmd.Args, " "))
	if err = cmd.Start(); err != nil {
		write.Close()
		return complaints, &startError{p.name, err}
	}
	if !p.together {
		write.Close()
	}
	ears := make(chan struct{})
	go func() {
		if err := p.hear(read); err != nil && !errors.Is(err, os.ErrClosed) {
			log.Add("its output could not be read to the end: %v", err)
		}
		close(ears)
	}()
	err = cmd.Wait()
	if p.together { // what it has complained of is written by now
		write.Close()
	}
	if exit := (*exec.ExitError)(nil); len(p.supervisor) > 0 && errors.As(err, &exit) && exit.ExitCode() < 0 {
		endMarked(mark) // the supervisor was killed, and nobody else ends what it has started
	}
	quiet := time.NewTimer(drainWithin)
	defer quiet.Stop()
	select {
	case <-ears:
	case <-quiet.C: // something that it started holds its output
		read.Close()
		<-ears
		log.Add("something that it started is still there, and is not waited for")
	}
	if !p.together {
		for _, line := range complaints.lines() {
			log.Add("%s", line)
		}
	}
	if used, known := used(); known {
		log.message(used)
		heard(used)
	}
	return complaints, err
}

// UsageVariable says, in the environment of a supervisor, on which file it is to tell what the program has taken: the
// system counts the memory of whoever starts a program as the program's own, and the server has more than a supervisor.
const UsageVariable = "REELHOUSE_USAGE="

// mostUsage is how long what a supervisor tells may be.
const mostUsage = 1 << 10

// usedAsTold reads what a supervisor, which has ended, has told.
func usedAsTold(in io.Reader) (m job.Message, known bool) {
	err := json.NewDecoder(io.LimitReader(in, mostUsage)).Decode(&m)
	return m, err == nil && m.Event == job.Used
}
