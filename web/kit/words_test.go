package kit

import (
	"testing"
)

func TestNumbersAreWrittenForPeople(t *testing.T) {
	for n, want := range map[int]string{0: "0", 9999: "9999", 10000: "10\u2009000", 1234567: "1\u2009234\u2009567"} {
		if got := Count(n); got != want {
			t.Errorf("%d is written %q", n, got)
		}
	}
	for seconds, want := range map[float64]string{4.2: "4.2 s", 42: "42 s", 200: "3 min 20 s", 1500: "25 min",
		8040: "2 h 14 min"} {
		if got := functions["seconds"].(func(float64) string)(seconds); got != want {
			t.Errorf("%v s is written %q, want %q", seconds, got, want)
		}
	}
}
