//go:build unix

package main

import (
	"runtime"
	"syscall"
	"time"

	"reelhouse/core/job"
)

// keepFromChildren keeps a file from what is started.
func keepFromChildren(fd int) { syscall.CloseOnExec(fd) }

// usedByChildren returns what all programs have taken that this one has started and that have ended, and theirs: the
// processor time of all, and the most memory of one.
func usedByChildren() (job.Message, bool) {
	var usage syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_CHILDREN, &usage); err != nil {
		return job.Message{}, false
	}
	peak := int64(usage.Maxrss)
	if runtime.GOOS != "darwin" { // where it is in bytes
		peak *= 1024
	}
	took := time.Duration(usage.Utime.Nano() + usage.Stime.Nano())
	return job.Message{Event: job.Used, Processor: took.Seconds(), Memory: peak}, true
}
