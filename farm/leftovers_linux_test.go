package farm

import (
	"os"
	"os/exec"
	"testing"
	"time"
)

// Programs that go on starting others while they are ended are all gone when that returns.
func TestNothingThatIsMarkedIsLeft(t *testing.T) {
	mark := workVariable + t.TempDir()
	cmd := exec.Command("sh", "-c", "echo; while :; do (sleep 600 &); done")
	cmd.Env = append(os.Environ(), mark)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	out.Read(make([]byte, 1)) // it has begun
	if ended := endMarked(mark); ended == 0 {
		t.Error("nothing was ended")
	}
	if left := killMarked(mark, time.Now()); left > 0 {
		t.Errorf("%d are left", left)
	}
	cmd.Wait()
}
