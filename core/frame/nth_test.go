package frame

import "testing"

func TestOrdinalNumbers(t *testing.T) {
	for n, want := range map[int]string{1: "1st", 2: "2nd", 3: "3rd", 4: "4th", 11: "11th", 12: "12th", 13: "13th",
		21: "21st", 102: "102nd", 111: "111th"} {
		if got := Nth(n); got != want {
			t.Errorf("%d is %s, want %s", n, got, want)
		}
	}
}
