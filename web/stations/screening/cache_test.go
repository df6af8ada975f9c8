package screening

import (
	"context"
	"errors"
	"sync"
	"testing"

	"reelhouse/core/pixel"
	"reelhouse/house/waiting"
)

// While a frame is read, other frames can be looked at; who asks for the same one waits for it, and it is read once.
func TestALargeFrameHoldsNobodyUp(t *testing.T) {
	c := waiting.NewShelf(cacheFrames, cacheBytes, size)
	begun, finish := make(chan struct{}), make(chan struct{})
	times := 0
	var group sync.WaitGroup
	group.Go(func() {
		_, err := c.Get(t.Context(), "large", func(context.Context) (*pixel.Image, error) {
			times++
			close(begun)
			<-finish
			return pixel.New(4, 4, "R"), nil
		})
		if err != nil {
			t.Error(err)
		}
	})
	<-begun
	if _, err := c.Get(t.Context(), "other",
		func(context.Context) (*pixel.Image, error) { return pixel.New(1, 1, "R"), nil }); err != nil {
		t.Error(err)
	}
	close(finish)
	group.Wait()
	img, err := c.Get(
		t.Context(),
		"large",
		func(context.Context) (*pixel.Image, error) { times++; return nil, errors.New("read again") },
	)
	if err != nil || img.Width != 4 || times != 1 {
		t.Errorf("%+v, %v, read %d times", img, err, times)
	}
	if _, err := c.Get(t.Context(), "gone",
		func(context.Context) (*pixel.Image, error) { return nil, errors.New("gone") }); err == nil {
		t.Error("a frame that cannot be read was shown")
	}
}
