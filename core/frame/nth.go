package frame

import "strconv"

// Nth writes an ordinal number: 1st, 2nd, 3rd, 4th, 11th, 21st.
func Nth(n int) string {
	ending := "th"
	if tens := n % 100; tens < 11 || tens > 13 {
		switch n % 10 {
		case 1:
			ending = "st"
		case 2:
			ending = "nd"
		case 3:
			ending = "rd"
		}
	}
	return strconv.Itoa(n) + ending
}
