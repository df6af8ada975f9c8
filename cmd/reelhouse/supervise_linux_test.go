package main

import (
	"bufio"
	"io"
	"os/exec"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"golang.org/x/sys/unix"
)

// gone waits until a process has ended.
func gone(t *testing.T, pid int) {
	t.Helper()
	fd, err := unix.PidfdOpen(pid, 0)
	if err != nil { // there is no such process any more
		return
	}
	defer unix.Close(fd)
	const within = 20_000 // ms
	ended := []unix.PollFd{{Fd: int32(fd), Events: unix.POLLIN}}
	for {
		n, err := unix.Poll(ended, within)
		if err == unix.EINTR {
			continue
		}
		if n != 1 || err != nil {
			t.Errorf("process %d is still there: %v", pid, err)
		}
		return
	}
}

// supervised starts a shell under the supervisor, and returns the process numbers that it prints, one a line.
func supervised(t *testing.T, script string, processes int) (cmd *exec.Cmd, parent io.Closer, pids []int) {
	t.Helper()
	cmd = exec.Command(binary, "supervise", "--", "sh", "-c", script)
	parent, err := cmd.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(out)
	for len(pids) < processes && lines.Scan() {
		pid, err := strconv.Atoi(lines.Text())
		if err != nil {
			t.Fatal(err)
		}
		pids = append(pids, pid)
	}
	return cmd, parent, pids
}

// What a program has started ends with it, however deep it hides: grandchildren that hold its output, and those that
// left its group.
func TestNothingOutlivesAProgram(t *testing.T) {
	script := `sleep 600 & echo $!; setsid sh -c 'sleep 600 & echo $!; echo $$; wait' & sleep 0.2; exit 7`
	cmd, parent, pids := supervised(t, script, 3)
	defer parent.Close()
	if err := cmd.Wait(); err == nil || cmd.ProcessState.ExitCode() != 7 {
		t.Errorf("it ended with %v", err)
	}
	for _, pid := range pids {
		gone(t, pid)
	}
}

// A server that is killed takes everything along, even what does not listen to signals.
func TestEverythingEndsWithTheServer(t *testing.T) {
	script := `trap '' TERM; sh -c 'trap "" TERM; echo $$; sleep 600' & sleep 600 & echo $!; wait; wait; sleep 600`
	cmd, parent, pids := supervised(t, script, 2)
	parent.Close() // as the system does when the server dies
	if err := cmd.Wait(); err == nil {
		t.Error("it ended well")
	}
	for _, pid := range pids {
		gone(t, pid)
	}
}

func TestASignalEndsAProgram(t *testing.T) {
	cmd, parent, pids := supervised(t, `echo $$; exec sleep 600`, 1)
	defer parent.Close()
	if err := cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	cmd.Wait()
	gone(t, pids[0])
}

// A program that takes more memory than it may ends by itself; one that cannot be started is told apart from one that
// ends badly.
func TestASupervisedProgramHasLimits(t *testing.T) {
	limited := func(memory string, line ...string) (out, complaints string, code int) {
		t.Helper()
		var o, e strings.Builder
		cmd := exec.Command(binary, append([]string{"supervise", "--memory", memory, "--"}, line...)...)
		cmd.Stdout, cmd.Stderr = &o, &e
		parent, err := cmd.StdinPipe() // which stays open
		if err != nil {
			t.Fatal(err)
		}
		defer parent.Close()
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		cmd.Wait()
		return o.String(), e.String(), cmd.ProcessState.ExitCode()
	}
	hungry := "head -c 3000000000 /dev/zero | tail -c 3000000000 | wc -c"
	if out, _, _ := limited("1000000000", "sh", "-c", hungry); strings.TrimSpace(out) != "0" {
		t.Errorf("it took 3 GB of 1: %s", out)
	}
	for line, code := range map[string]int{"/nothing/here": 127, "false": 1} {
		out, complaints, got := limited("0", line)
		if got != code || strings.Contains(complaints, "not started:") != (code == 127) {
			t.Errorf("%s: exit %d, %s%s", line, got, out, complaints)
		}
	}
}
