//go:build unix

package farm

import (
	"os"
	"runtime"
	"syscall"

	"reelhouse/core/job"
)

// usedBy returns what a process and all that it has waited for have taken: the processor time of all, and the most
// memory of one of them.
func usedBy(state *os.ProcessState) (job.Message, bool) {
	if state == nil {
		return job.Message{}, false
	}
	usage, known := state.SysUsage().(*syscall.Rusage)
	if !known {
		return job.Message{}, false
	}
	peak := int64(usage.Maxrss)
	if runtime.GOOS != "darwin" { // where it is in bytes
		peak *= 1024
	}
	seconds := (state.UserTime() + state.SystemTime()).Seconds()
	return job.Message{Event: job.Used, Processor: seconds, Memory: peak}, true
}
