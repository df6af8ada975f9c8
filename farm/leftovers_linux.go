package farm

import (
	"bytes"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
)

// endMarked kills every process that has a variable of its environment set so, as all have that a node started and all
// that they started. It is for those whose supervisor was killed.
func endMarked(variable string) (ended int) {
	found, _ := filepath.Glob("/proc/[0-9]*/environ")
	for _, path := range found {
		pid, err := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		if err != nil || pid == os.Getpid() {
			continue
		}
		data, err := os.ReadFile(path)
		if err != nil || !bytes.Contains(append([]byte{0}, data...), []byte("\x00"+variable+"\x00")) {
			continue
		}
		if syscall.Kill(pid, syscall.SIGKILL) == nil {
			ended++
		}
	}
	return ended
}
