package naming

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// Case says how letters of values are written.
type Case string

// The cases.
const (
	AsTyped Case = "" // as they stand
	Lower   Case = "lower"
	Upper   Case = "upper"
)

// Rules say how values are written wherever they come out of a field. The zero value leaves them as they
// are, but for what no file system takes.
type Rules struct {
	// Separator stands for every space, underscore and hyphen within a value; empty leaves them, and makes
	// underscores of spaces. If the pattern joins its fields by another sign, a name can be read back.
	Separator string `json:"separator,omitempty"`
	Case      Case   `json:"case,omitempty"`
}

// Separators returns what may be chosen.
func Separators() []string { return []string{"", "_", "-"} }

// Check says what is wrong with the rules, or nil.
func (r Rules) Check() error {
	if !slices.Contains(Separators(), r.Separator) {
		return fmt.Errorf("%q cannot separate the words of a value; choose _ or -", r.Separator)
	}
	if r.Case != AsTyped && r.Case != Lower && r.Case != Upper {
		return fmt.Errorf("there is no case rule %q", r.Case)
	}
	return nil
}

// Clean returns a value as it stands in a path: by the rules, with hyphens for what a common file system
// refuses and without dots at the ends. An empty value becomes "none".
func (r Rules) Clean(value string) string {
	if r == (Rules{}) && ValidCode(value) {
		return value // as nearly all values are
	}
	cleaned := strings.Map(func(c rune) rune {
		switch {
		case r.Separator != "" && (c == ' ' || c == '_' || c == '-'):
			return rune(r.Separator[0])
		case c == ' ':
			return '_'
		case unicode.IsControl(c) || c == unicode.ReplacementChar || strings.ContainsRune(refused+"/()", c) ||
			unicode.IsSpace(c):
			return '-'
		}
		return c
	}, strings.TrimSpace(value))
	switch r.Case {
	case Lower:
		cleaned = strings.ToLower(cleaned)
	case Upper:
		cleaned = strings.ToUpper(cleaned)
	}
	if cleaned = strings.Trim(cleaned, "."); cleaned == "" {
		return "none"
	}
	return cleaned
}

// maxCode is the longest code.
const maxCode = 32

// ValidCode reports whether a text may name a part of a production: 1 to 32 letters, digits, hyphens or
// underscores, of which the first is a letter or digit.
func ValidCode(code string) bool {
	for i, c := range []byte(code) {
		switch {
		case 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9':
		case i > 0 && (c == '-' || c == '_'):
		default:
			return false
		}
	}
	return code != "" && len(code) <= maxCode
}
