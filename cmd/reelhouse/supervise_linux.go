package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// adopt makes this process the parent of everything below it whose own parent ends, so that nothing gets away.
func adopt() {
	unix.Prctl(unix.PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)
}

// startOfItsOwn starts a program in a group of its own, which is killed if this process is.
func startOfItsOwn(cmd *exec.Cmd) error {
	runtime.LockOSThread() // the kernel ties the signal to the thread that started the program
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	return cmd.Start()
}

// tell sends a signal to the group of a program.
func tell(cmd *exec.Cmd, s syscall.Signal) { syscall.Kill(-cmd.Process.Pid, s) }

// endAll kills everything below this process until nothing is left.
func endAll(cmd *exec.Cmd) {
	tell(cmd, syscall.SIGKILL)
	for {
		for _, pid := range children() {
			syscall.Kill(pid, syscall.SIGKILL)
		}
		_, err := syscall.Wait4(-1, nil, syscall.WNOHANG, nil)
		if err == syscall.ECHILD {
			return
		}
		time.Sleep(time.Millisecond)
	}
}

// children returns the processes whose parent is this one.
func children() []int {
	var pids []int
	lists, _ := filepath.Glob("/proc/self/task/*/children")
	for _, list := range lists {
		data, _ := os.ReadFile(list)
		for field := range strings.FieldsSeq(string(data)) {
			if pid, err := strconv.Atoi(field); err == nil {
				pids = append(pids, pid)
			}
		}
	}
	return pids
}

// limitMemoryOf bounds the memory of what is started from now on, by what the kernel counts as data.
func limitMemoryOf(bytes int64) error {
	return unix.Setrlimit(unix.RLIMIT_DATA, &unix.Rlimit{Cur: uint64(bytes), Max: uint64(bytes)})
}

// watch is not needed: the kernel keeps the limit.
func (s supervisor) watch(*exec.Cmd) (stop func()) { return func() {} }
