package frame

import (
	"errors"
	"testing"
)

var (
	drop2997 = Count{Rate{30000, 1001}, true}
	drop5994 = Count{Rate{60000, 1001}, true}
)

// Worked values of drop-frame counting, by the rule of SMPTE ST 12-1: frame numbers 00 and 01 are left out
// at the start of each minute but every tenth, so that an hour has 107 892 frames.
func TestDropFrameWorkedValues(t *testing.T) {
	for _, c := range []struct {
		count  Count
		number int
		text   string
	}{
		{drop2997, 0, "00:00:00;00"},
		{drop2997, 1799, "00:00:59;29"},
		{drop2997, 1800, "00:01:00;02"},
		{drop2997, 3597, "00:01:59;29"},
		{drop2997, 3598, "00:02:00;02"},
		{drop2997, 17981, "00:09:59;29"},
		{drop2997, 17982, "00:10:00;00"},
		{drop2997, 107892, "01:00:00;00"},
		{drop5994, 3600, "00:01:00;04"},
		{drop5994, 35964, "00:10:00;00"},
		{drop5994, 2 * 107892, "01:00:00;00"},
		{Count{Rate: Rate{30000, 1001}}, 1800, "00:01:00:00"},
		{Count{Rate: Rate{24000, 1001}}, 24 * 3600, "01:00:00:00"},
		{Count{Rate: Rate{25, 1}}, 90000, "01:00:00:00"},
		{Count{Rate: Rate{24, 1}}, -1, "23:59:59:23"},
	} {
		if got := c.count.Timecode(c.number).String(); got != c.text {
			t.Errorf("%v: frame %d is %s, want %s", c.count, c.number, got, c.text)
		}
		parsed, err := c.count.ParseTimecode(c.text)
		if day := c.count.Day(); err != nil || c.count.Number(parsed) != (c.number+day)%day {
			t.Errorf("%v: %s is frame %d, %v", c.count, c.text, c.count.Number(parsed), err)
		}
	}
	if day := drop2997.Day(); day != 24*107892 {
		t.Errorf("a day has %d frames", day)
	}
}

func TestTimecodeRoundTripsOverADayAtEveryRate(t *testing.T) {
	for _, c := range Counts() {
		before := Timecode{Hours: -1}
		for n := range c.Day() {
			tc := c.Timecode(n)
			if c.Number(tc) != n || tc == before {
				t.Fatalf("%v: frame %d is %v is frame %d", c, n, tc, c.Number(tc))
			}
			if n%997 == 0 {
				if parsed, err := c.ParseTimecode(tc.String()); err != nil || parsed != tc {
					t.Fatalf("%v: %v reads back as %v, %v", c, tc, parsed, err)
				}
			}
			before = tc
		}
	}
}

func TestWrongTimecodesAreRefusedAtTheirPlace(t *testing.T) {
	for text, offset := range map[string]int{
		"": 0, "01:00": 5, "01:00:00": 8, "24:00:00:00": 0, "00:60:00:00": 3, "00:00:61:00": 6, "00:00:00:30": 9,
		"00:00:00:x": 9, "00;00:00:00": 2, "00:01:00;01": 0, "-1:00:00:00": 0,
	} {
		_, err := drop2997.ParseTimecode(text)
		var se *SyntaxError
		if !errors.As(err, &se) || se.Offset != offset {
			t.Errorf("%q: %v, want a mistake at %d", text, err, offset)
		}
	}
}

func TestAClockTiesFramesTimecodeAndSeconds(t *testing.T) {
	c := Clock{Count{Rate: Rate{24, 1}}, 1001, Timecode{Hours: 10}}
	if got := c.Timecode(1049).String(); got != "10:00:02:00" {
		t.Errorf("frame 1049 is %s", got)
	}
	if got := c.Frame(Timecode{Hours: 10, Seconds: 2}); got != 1049 {
		t.Errorf("10:00:02:00 is frame %d", got)
	}
	if c.Seconds(1049) != 2 || c.At(2) != 1049 || c.At(1.99) != 1048 || c.At(-0.01) != 1000 {
		t.Errorf("seconds: %v %v %v %v", c.Seconds(1049), c.At(2), c.At(1.99), c.At(-0.01))
	}
	for _, count := range Counts() {
		c := Clock{count, 1, Timecode{}}
		for n := 1; n < 5000; n++ {
			if c.At(c.Seconds(n)) != n || c.Frame(c.Timecode(n)) != n {
				t.Fatalf("%v: frame %d comes back as %d and %d", count, n, c.At(c.Seconds(n)), c.Frame(c.Timecode(n)))
			}
		}
	}
}

// The handbook's worked example: 120 frames at 24 fps last 5 s, which are 150 frames at 30 fps.
func TestRetimeKeepsTheLength(t *testing.T) {
	r := Retime{Rate{24, 1}, Rate{30, 1}, 120}
	if r.Frames() != 150 {
		t.Errorf("%d frames, want 150", r.Frames())
	}
	// Of five result frames at 30, four source frames at 24: 0, 0.8, 1.6, 2.4, 3.2.
	for i, want := range []int{0, 1, 2, 2, 3, 4} {
		if got := r.Nearest(i); got != want {
			t.Errorf("result frame %d shows %d, want %d", i, got, want)
		}
	}
	if a, b, share := r.Blend(3); a != 2 || b != 3 || share < 0.4-1e-12 || share > 0.4+1e-12 {
		t.Errorf("result frame 3 lies between %d and %d at %v, want 2, 3, 0.4", a, b, share)
	}
	if a, b, share := r.Blend(149); a != 119 || b != 119 || share != 0 {
		t.Errorf("the last result frame is %d, %d, %v", a, b, share)
	}
	same := Retime{Rate{25, 1}, Rate{25, 1}, 7}
	for i := range same.Frames() {
		if a, _, share := same.Blend(i); same.Nearest(i) != i || a != i || share != 0 {
			t.Errorf("at the same rate frame %d shows %d", i, same.Nearest(i))
		}
	}
	if n := (Retime{Rate{60, 1}, Rate{24, 1}, 60}).Frames(); n != 24 {
		t.Errorf("60 frames at 60 fps are %d at 24", n)
	}
}

func TestRatesAreReadAsTheFractionsTheyStandFor(t *testing.T) {
	for text, want := range map[string]Rate{
		"24": {24, 1}, "23.976": {24000, 1001}, "23.98": {24000, 1001}, "29.97": {30000, 1001},
		"59.94 fps": {60000, 1001}, "30000/1001": {30000, 1001}, "12.5": {25, 2}, "100/3 fps": {100, 3},
	} {
		if got, err := ParseRate(text); err != nil || got != want {
			t.Errorf("%q: %v, %v", text, got, err)
		}
	}
	for _, text := range []string{"", "0", "-24", "x", "24/0", "1e9", "2000", "1/3/4"} {
		if got, err := ParseRate(text); err == nil {
			t.Errorf("%q was read as %v", text, got)
		}
	}
}

func FuzzParseTimecode(f *testing.F) {
	f.Add("01:02:03:04", true)
	f.Add("00:01:00;02", true)
	f.Fuzz(func(t *testing.T, text string, drop bool) {
		c := Count{Rate{30000, 1001}, drop}
		tc, err := c.ParseTimecode(text)
		if err != nil {
			return
		}
		if again := c.Timecode(c.Number(tc)); again != tc {
			t.Fatalf("%q is %v, and comes back as %v", text, tc, again)
		}
	})
}
