package kit_test

import (
	"bytes"
	"image/png"
	"testing"

	"reelhouse/web/kit"
	"reelhouse/web/webtest"
)

// Pictures of frames that nothing has are those of the nearest that something has: nobody fills the shelf with copies.
func TestFramesAreThoseThatCanBe(t *testing.T) {
	s := webtest.New(t)
	p := s.Production().Production
	for text, want := range map[string]int{"1002": 1002, "99999999": 1003, "-5": 1001, "": 1001, "x": 1001,
		"99999999999999999999": 1001} {
		if got := s.App.FrameOf(p, text); got != want {
			t.Errorf("%q: frame %d, want %d", text, got, want)
		}
	}
}

func TestAPictureComesAtOnce(t *testing.T) {
	s := webtest.New(t)
	fetch := func(query string) []byte {
		code, body := s.Get("/p/TEST/preview?view=v&" + query)
		if code != 200 {
			t.Fatalf("%s: %d %s", query, code, body)
		}
		return []byte(body)
	}
	first, second := fetch("step=0"), fetch("step=1")
	a, errA := png.DecodeConfig(bytes.NewReader(first))
	b, errB := png.DecodeConfig(bytes.NewReader(second))
	if errA != nil || errB != nil || a.Width >= b.Width || b.Width != kit.PreviewEdge {
		t.Errorf("pictures of %+v and %+v, %v, %v", a, b, errA, errB)
	}
	// A try shows the view as it would be, and changes nothing.
	if tried := fetch("step=0&try=view.place&set.side=above&set.x=4&set.y=5"); bytes.Equal(tried, first) {
		t.Error("a camera that was put elsewhere sees the same")
	}
	if p := s.Production(); p.Views[0].Setup.Stand != nil {
		t.Error("trying has changed the view")
	}
	for _, query := range []string{"view=v&step=9", "view=v", "view=none&step=0",
		"view=v&step=0&try=view.place&set.side=above&set.x=x", "view=v&step=0&look=none"} {
		if code, _ := s.Get("/p/TEST/preview?" + query); code < 400 || code >= 500 {
			t.Errorf("%s: %d", query, code)
		}
	}
}
