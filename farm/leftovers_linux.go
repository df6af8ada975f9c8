package farm

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"golang.org/x/sys/unix"
)

// endMarked kills every process that has a variable of its environment set so, as all have that a node started and all
// that they started, and returns when they have ended: until then they may still write. It is for those whose
// supervisor was killed. One that the system does not let end, such as for storage that does not answer, is not waited
// for longer than endsWithin.
func endMarked(variable string) (ended int) {
	until := time.Now().Add(endsWithin)
	for {
		killed := killMarked(variable, until)
		if killed == 0 || time.Now().After(until) {
			return ended
		}
		ended += killed // and what they have started meanwhile is looked for
	}
}

// killMarked kills the marked processes that are there now.
func killMarked(variable string, until time.Time) (killed int) {
	found, _ := filepath.Glob("/proc/[0-9]*/environ")
	for _, path := range found {
		pid, err := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		if err != nil || pid == os.Getpid() {
			continue
		}
		process, err := unix.PidfdOpen(pid, 0) // so that nobody else gets its number meanwhile
		old := errors.Is(err, unix.ENOSYS)     // a kernel before Linux 5.3, where that is not to be had
		if err != nil && !old {
			continue
		}
		data, err := os.ReadFile(path)
		marked := err == nil && bytes.Contains(append([]byte{0}, data...), []byte("\x00"+variable+"\x00"))
		switch {
		case old:
			if marked && unix.Kill(pid, unix.SIGKILL) == nil {
				killed++
			}
			continue
		case marked && unix.PidfdSendSignal(process, unix.SIGKILL, nil, 0) == nil:
			killed++
			waitForEnd(process, until)
		}
		unix.Close(process)
	}
	return killed
}

// waitForEnd returns when a process has ended, or at a time.
func waitForEnd(process int, until time.Time) {
	for {
		left := max(0, time.Until(until).Milliseconds())
		_, err := unix.Poll([]unix.PollFd{{Fd: int32(process), Events: unix.POLLIN}}, int(left))
		if !errors.Is(err, unix.EINTR) {
			return
		}
	}
}
