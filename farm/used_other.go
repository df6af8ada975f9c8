//go:build !unix

package farm

import (
	"os"

	"reelhouse/core/job"
)

// usedBy knows the processor time here, and not the memory.
func usedBy(state *os.ProcessState) (job.Message, bool) {
	if state == nil {
		return job.Message{}, false
	}
	return job.Message{Event: job.Used, Processor: (state.UserTime() + state.SystemTime()).Seconds()}, true
}
