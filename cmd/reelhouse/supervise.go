package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"os/signal"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/farm"
)

// A supervisor starts one program of a node and ends it, together with everything that it has started, when the program
// has ended, when the node says so, and when the node dies: its standard input closes then, however that happens.
type supervisor struct {
	memory int64 // bytes that the program may take; 0 for any
	passOn bool  // what comes on its standard input is the program's
}

// endsWithin is how long a program that is told to end may take to clean up.
const endsWithin = 1500 * time.Millisecond

func superviseCommand() *cobra.Command {
	var s supervisor
	cmd := &cobra.Command{
		Use: "supervise -- PROGRAM [ARGUMENT...]", Short: "Run a program, and end all that it started (a node does it)",
		Args: cobra.MinimumNArgs(1), Hidden: true,
		RunE: func(cmd *cobra.Command, args []string) error {
			code, err := s.run(args, os.Stdin)
			if err != nil {
				fmt.Fprintf(os.Stderr, "%s%v\n", farm.NotStarted, err)
				return exitCode(farm.ExitNotStarted)
			}
			if code != 0 {
				return exitCode(code)
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&s.passOn, "pass-on", false, "pass standard input on to the program")
	cmd.Flags().Int64Var(&s.memory, "memory", 0, "bytes that the program may take; 0 for any")
	return cmd
}

// run runs a program until it ends, or until parent, or a signal, says that it is to. It returns the program's exit
// code once nothing of it is left.
func (s supervisor) run(line []string, parent io.Reader) (code int, err error) {
	tell := usageTeller()
	defer tell()
	told := make(chan os.Signal, 1)
	signal.Notify(told, os.Interrupt, syscall.SIGTERM)
	defer signal.Stop(told)
	adopt()
	cmd := exec.Command(line[0], line[1:]...)
	cmd.Stdout, cmd.Stderr = os.Stdout, os.Stderr
	alive, err := cmd.StdinPipe() // which tells the program, too, that its parent is there
	if err != nil {
		return 0, err
	}
	defer alive.Close()
	if s.memory > 0 {
		// The Go programs of this house keep below the limit by clearing up more often.
		cmd.Env = append(os.Environ(), "GOMEMLIMIT="+strconv.FormatInt(s.memory/10*9, 10))
		if err := limitMemoryOf(s.memory); err != nil {
			return 0, err
		}
	}
	if err := startOfItsOwn(cmd); err != nil {
		return 0, err
	}
	gone := make(chan struct{})
	go func() {
		if s.passOn {
			io.Copy(alive, parent)
			alive.Close()
		}
		io.Copy(io.Discard, parent)
		close(gone)
	}()
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	stop := s.watch(cmd)
	defer stop()
	select {
	case err = <-ended:
	case <-gone:
		err = endNow(cmd, ended)
	case <-told:
		err = endNow(cmd, ended)
	}
	endAll(cmd)
	return exitCodeOf(err), nil
}

// usageTeller returns what tells the node what has been taken by all that was started, if the node wants to know.
func usageTeller() func() {
	fd, err := strconv.Atoi(os.Getenv(strings.TrimSuffix(farm.UsageVariable, "=")))
	if err != nil || fd < 3 {
		return func() {}
	}
	keepFromChildren(fd)
	return func() {
		if m, known := usedByChildren(); known {
			json.NewEncoder(os.NewFile(uintptr(fd), "usage")).Encode(m)
		}
	}
}

// endNow tells a program to end, and kills it if it does not.
func endNow(cmd *exec.Cmd, ended <-chan error) error {
	tell(cmd, syscall.SIGTERM)
	select {
	case err := <-ended:
		return err
	case <-time.After(endsWithin):
	}
	tell(cmd, syscall.SIGKILL)
	return <-ended
}

// signalled is added to the number of the signal that ended a program, as shells do.
const signalled = 128

func exitCodeOf(err error) int {
	var exit *exec.ExitError
	switch {
	case err == nil:
		return 0
	case !errors.As(err, &exit):
		return 1
	}
	if status, ok := exit.Sys().(syscall.WaitStatus); ok && status.Signaled() {
		return signalled + int(status.Signal())
	}
	return exit.ExitCode()
}
