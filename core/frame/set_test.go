package frame

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"testing"
)

func TestParseCountsBothEnds(t *testing.T) {
	for _, c := range []struct {
		text  string
		count int
		canon string
	}{
		{"1001-1048", 48, "1001-1048"},
		{"1001-1048x2", 24, "1001-1047x2"},
		{"1001,1010-1020", 12, "1001,1010-1020"},
		{"1001-1048,!1030-1035", 42, "1001-1029,1036-1048"},
		{"!1030-1035,1001-1048", 42, "1001-1029,1036-1048"},
		{"1060", 1, "1060"},
		{"-5--1", 5, "-5--1"},
		{"-4-4x4", 3, "-4-4x4"},
		{"1-10,5-15", 15, "1-15"},
		{"1-9x2,2-10x2", 10, "1-10"},
		{"1-10,!2-10x2", 5, "1-9x2"},
		{"1-3x2", 2, "1,3"},
		{" 1 - 4 , 9 ", 5, "1-4,9"},
		{"1-1000000", 1000000, "1-1000000"},
		{"7-7x5", 1, "7"},
	} {
		s, err := Parse(c.text)
		if err != nil {
			t.Errorf("%q: %v", c.text, err)
			continue
		}
		if s.Count() != c.count || s.String() != c.canon {
			t.Errorf("%q: %d frames %q, want %d %q", c.text, s.Count(), s, c.count, c.canon)
		}
	}
}

// The handbook's formulas: last-first+1 frames, with step s floor((last-first)/s)+1.
func TestCountFollowsTheFormula(t *testing.T) {
	for first := -3; first < 4; first++ {
		for last := first; last < first+20; last++ {
			for step := 1; step < 8; step++ {
				s := MustParse(fmt.Sprintf("%d-%dx%d", first, last, step))
				if want := (last-first)/step + 1; s.Count() != want {
					t.Fatalf("%d-%dx%d: %d, want %d", first, last, step, s.Count(), want)
				}
			}
		}
	}
}

func TestParseSaysWhereAndWhat(t *testing.T) {
	for text, offset := range map[string]int{
		"":              0,
		"abc":           0,
		"1048-1001":     0,
		"1,1048-1001":   2,
		"1-":            2,
		"1-5x0":         4,
		"1-5x":          4,
		"1-5 7":         4,
		"1,,2":          2,
		"!1-5":          0,
		"1-5,!1-9":      0,
		"999999999":     0,
		"1-20000000":    0,
		"1001-1048x2.5": 11,
	} {
		_, err := Parse(text)
		var se *SyntaxError
		if !errors.As(err, &se) {
			t.Errorf("%q: error %v, want a SyntaxError", text, err)
		} else if se.Offset != offset {
			t.Errorf("%q: offset %d, want %d (%v)", text, se.Offset, offset, err)
		}
	}
}

func TestSetAnswersAgreeWithItsFrames(t *testing.T) {
	s := MustParse("-7--1x3,1-20x4,2-30x6,!14,40")
	all := slices.Collect(s.All())
	if len(all) != s.Count() || all[0] != s.First() || all[len(all)-1] != s.Last() {
		t.Fatalf("%v: count %d first %d last %d", all, s.Count(), s.First(), s.Last())
	}
	for i, n := range all {
		if s.At(i) != n {
			t.Errorf("At(%d) = %d, want %d", i, s.At(i), n)
		}
	}
	for n := -10; n < 50; n++ {
		if s.Contains(n) != slices.Contains(all, n) {
			t.Errorf("Contains(%d) = %v", n, s.Contains(n))
		}
	}
}

func TestHandlesGoOnInTheSetsSteps(t *testing.T) {
	for _, c := range []struct {
		text   string
		n      int
		want   string
		frames int
	}{
		{"1001-1048", 8, "993-1056", 64}, {"1001-1048", 0, "1001-1048", 48}, {"1084", 8, "1084", 1},
		{"1001-1009x2", 5, "997-1013x2", 9}, {"1-10,20-30x5", 5, "-4-10,20-35x5", 19},
	} {
		if got := MustParse(c.text).WithHandles(c.n); got.String() != c.want || got.Count() != c.frames {
			t.Errorf("%s with %d: %s, %d frames", c.text, c.n, got, got.Count())
		}
	}
	if got := (Set{}).WithHandles(5); !got.Empty() {
		t.Errorf("nothing became %s", got)
	}
}

func TestRate(t *testing.T) {
	r := Rate{24, 1}
	if r.Seconds(1121, 1001) != 5 { // 120 frames at 24 fps last 5 s
		t.Errorf("frame 1121 at %v s, want 5", r.Seconds(1121, 1001))
	}
	if p := (Rate{30000, 1001}).PerSecond(); math.Abs(p-29.97) > 0.001 {
		t.Errorf("30000/1001 = %v", p)
	}
	if (Rate{}).Valid() || !r.Valid() {
		t.Error("only a positive rate is valid")
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"1001-1048", "1-9x2,2-10x3", "-5--1,!-3", "1-50,!3-40x7", "x", "1-2-3"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 200 {
			return
		}
		s, err := Parse(text)
		if err != nil {
			return
		}
		again, err := Parse(s.String())
		if err != nil || !again.Equal(s) {
			t.Fatalf("%q became %q, read back as %q, %v", text, s, again, err)
		}
	})
}

func BenchmarkSetMillionFrames(b *testing.B) {
	s := MustParse("1-2000000x2,!500-900")
	b.ReportAllocs()
	n := 0
	for b.Loop() {
		for range s.All() {
			n++
		}
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "frames/s")
}
