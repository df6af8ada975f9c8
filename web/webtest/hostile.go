package webtest

import "strings"

// Hostile returns values that no field wants.
func Hostile() []string {
	return []string{
		"", " ", "-1", "99999999999999999999", "1e309", "NaN", "Inf", "-0", "0x1p-2000", "\x00", "\xff\xfe", "<script>",
		"';--", "../../etc/passwd", "%00", "(shot", "1-", strings.Repeat("9", 400), strings.Repeat("ä", 300),
		strings.Repeat("1,", 2000), "1001-999999999", "1001-1048x0", "#gggggg", "\u202e", "a\nb",
	}
}
