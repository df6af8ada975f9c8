package farm

import (
	"bytes"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"golang.org/x/sys/unix"
)

// startsWithin is how long a process is given to have the environment of the program that it starts.
const startsWithin = 200 * time.Millisecond

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
		marked := bytes.Contains(append([]byte{0}, environment(path)...), []byte("\x00"+variable+"\x00"))
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

// environment reads the environment of a process. One that is just starting a program has none for a moment, though it
// has the program already: it is read again, but not for longer than startsWithin, since some are started with none.
func environment(path string) []byte {
	buffer := make([]byte, 64<<10)
	for until := time.Now().Add(startsWithin); ; {
		read, err := readAtOnce(path, buffer)
		switch {
		case err != nil:
			return nil
		case read == len(buffer):
			buffer = make([]byte, 2*len(buffer))
			continue
		case read > 0:
			return buffer[:read]
		}
		_, err = os.Readlink(filepath.Join(filepath.Dir(path), "exe"))
		if err != nil || time.Now().After(until) {
			return nil // it is of the system itself, it has ended, or it has none
		}
		time.Sleep(time.Millisecond)
	}
}

// readAtOnce reads with one call of the system: between two of them the process may start another program, and what
// follows would be missing.
func readAtOnce(path string, buffer []byte) (int, error) {
	file, err := os.Open(path)
	if err != nil {
		return 0, err
	}
	defer file.Close()
	read, err := file.Read(buffer)
	if errors.Is(err, io.EOF) {
		return 0, nil
	}
	return read, err
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
