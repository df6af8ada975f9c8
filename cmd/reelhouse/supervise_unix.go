//go:build unix && !linux

package main

import (
	"os/exec"
	"strconv"
	"strings"
	"syscall"
	"time"
)

func adopt() {}

// startOfItsOwn starts a program in a group of its own.
func startOfItsOwn(cmd *exec.Cmd) error {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	return cmd.Start()
}

// tell sends a signal to the group of a program.
func tell(cmd *exec.Cmd, s syscall.Signal) { syscall.Kill(-cmd.Process.Pid, s) }

// endAll kills what is left of a program's group.
func endAll(cmd *exec.Cmd) { tell(cmd, syscall.SIGKILL) }

func limitMemoryOf(int64) error { return nil }

// watchEvery is how often the memory of a program is looked at.
const watchEvery = 500 * time.Millisecond

// watch kills a program that takes more memory than it may.
func (s supervisor) watch(cmd *exec.Cmd) (stop func()) {
	if s.memory == 0 {
		return func() {}
	}
	done := make(chan struct{})
	go func() {
		tick := time.NewTicker(watchEvery)
		defer tick.Stop()
		for {
			select {
			case <-done:
				return
			case <-tick.C:
			}
			out, err := exec.Command("ps", "-o", "rss=", "-p", strconv.Itoa(cmd.Process.Pid)).Output()
			kilobytes, _ := strconv.ParseInt(strings.TrimSpace(string(out)), 10, 64)
			if err == nil && kilobytes*1024 > s.memory {
				tell(cmd, syscall.SIGKILL)
			}
		}
	}()
	return func() { close(done) }
}
