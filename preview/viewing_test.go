package preview

import (
	"context"
	"errors"
	"fmt"
	"image"
	"os"
	"testing"

	"reelhouse/house/housetest"
)

func drawn(context.Context) (*image.NRGBA, string, error) {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for i := range img.Pix {
		img.Pix[i] = byte(i*i) | byte(i%4/3*255)
	}
	return img, "as it is; − 1", nil
}

func TestViewingFilesAreKept(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	s := NewViewings(h)
	v := Viewed{Sequence: 1, Frame: 1001, Output: "master", Pass: "beauty", SHA256: "ab"}
	made, err := s.Get(t.Context(), v, drawn)
	if err != nil || made.Words != "as it is; − 1" || !s.Has(v) {
		t.Fatalf("%q, %v", made.Words, err)
	}
	refuses := func(context.Context) (*image.NRGBA, string, error) { return nil, "", errors.New("made again") }
	there, err := NewViewings(h).Get(t.Context(), v, refuses) // as after a start
	if err != nil || there.Words != made.Words || len(there.JPEG) != len(made.JPEG) {
		t.Errorf("%q, %v", there.Words, err)
	}
	v.SHA256 = "cd" // the frame was rendered again
	if _, err := NewViewings(h).Get(t.Context(), v, refuses); err == nil {
		t.Error("an old picture is shown for a new frame")
	}
}

// More than may be kept is cleared away, what was looked at longest ago first.
func TestViewingFilesAreBounded(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	s := NewViewings(h)
	of := func(n int) Viewed { return Viewed{Sequence: 1, Frame: n, SHA256: "ab"} }
	first, err := s.Get(t.Context(), of(1), drawn)
	if err != nil {
		t.Fatal(err)
	}
	s.most = int64(10*len(first.JPEG)) + 100
	for n := 2; n <= 40; n++ {
		if _, err := s.Get(t.Context(), of(n), drawn); err != nil {
			t.Fatal(err)
		}
	}
	sum := int64(0)
	for _, f := range s.all() {
		sum += f.bytes
	}
	if sum > s.most || sum < s.most/2 || sum != s.bytes {
		t.Errorf("%d bytes are kept, %d known, of %d", sum, s.bytes, s.most)
	}
	if s.Has(of(1)) || !s.Has(of(40)) {
		t.Error("the oldest is there, or the newest is not")
	}
	s.room = 1 << 62 // no disk has that
	if _, err := s.Get(t.Context(), of(50), drawn); err != nil || s.Has(of(50)) {
		t.Errorf("something was written to a full disk, %v", err)
	}
}

func TestWhatIsNoViewingFileIsMadeAgain(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	s := NewViewings(h)
	v := Viewed{Sequence: 1, Frame: 1001}
	made, err := s.Get(t.Context(), v, drawn)
	if err != nil {
		t.Fatal(err)
	}
	for i, content := range []string{
		"", "\xff\xd8", "\xff\xd8\xff\xfe\xff\xff\xff\xd9", "\xff\xd8\xff\xfe\x00\x00\xff\xd9",
		string(made.JPEG[:len(made.JPEG)/2]),
	} {
		if err := os.WriteFile(s.path(v), []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
		again, err := NewViewings(h).Get(t.Context(), v, drawn)
		if err != nil || string(again.JPEG) != string(made.JPEG) {
			t.Errorf("%s: %v", fmt.Sprint(i), err)
		}
	}
}
