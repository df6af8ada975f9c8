package preview

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"reelhouse/core/job"
	"reelhouse/house/housetest"
)

func TestThumbsAreRenderedOnceAndKept(t *testing.T) {
	h, b := housetest.New(t, "1001")
	rendered, crashes := 0, false
	s := NewThumbs(h, func(_ context.Context, j job.Job) error {
		if crashes {
			return errors.New("it crashed")
		}
		rendered++
		return os.WriteFile(j.Frames[0].Files[0].Path, []byte("a picture"), 0o644)
	})
	q := b.Sequences[0].Spec
	want := Request{
		Scene: b.Plan.Scene, Camera: "cam", Look: q.Look, Rate: b.Plan.Rate, FirstFrame: 1001, Frame: 1001,
		Size: q.Size,
	}
	path, err := s.File(context.Background(), want)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := s.File(context.Background(), want); err != nil || again != path || rendered != 1 {
		t.Errorf("%s, %v, rendered %d times", again, err, rendered)
	}
	crashes = true
	want.Frame = 1002
	if _, err := s.File(context.Background(), want); err == nil {
		t.Error("a crashed renderer made a picture")
	}
}

func TestThumbsAreBounded(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	s := NewThumbs(h, nil)
	s.most = 10
	for i := range 30 {
		path := filepath.Join(h.Thumbs(), string(rune('a'+i))+".png")
		at := time.Unix(int64(1000+i), 0)
		if err := errors.Join(os.WriteFile(path, nil, 0o644), os.Chtimes(path, at, at)); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.clear(); err != nil {
		t.Fatal(err)
	}
	left, _ := os.ReadDir(h.Thumbs())
	if len(left) > 10 || len(left) < 8 || left[len(left)-1].Name() != string(rune('a'+29))+".png" {
		t.Errorf("%d are left: %v", len(left), left)
	}
}
