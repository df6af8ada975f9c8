package farm

import (
	"io"
	"os"
	"os/exec"
	"path/filepath"
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

// A process that is just starting a program, when its environment reads as empty, is found too.
func TestOneThatStartsAProgramIsMarked(t *testing.T) {
	script := filepath.Join(t.TempDir(), "again.sh")
	if err := os.WriteFile(script, []byte("#!/bin/sh\necho\nexec $0\n"), 0o755); err != nil {
		t.Fatal(err)
	}
	mark := workVariable + t.TempDir()
	for range 100 {
		cmd := exec.Command(script)
		cmd.Env = append(os.Environ(), mark)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		io.ReadFull(out, make([]byte, 3)) // it goes round
		killed := killMarked(mark, time.Now().Add(endsWithin))
		cmd.Process.Kill()
		cmd.Wait()
		if killed == 0 {
			t.Fatal("it was not found")
		}
	}
}
