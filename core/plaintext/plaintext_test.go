package plaintext

import (
	"errors"
	"strings"
	"testing"
	"unicode/utf16"
)

// wide writes a text in UTF-16 as RFC 2781 has it.
func wide(text string, big, mark bool) string {
	var b strings.Builder
	units := utf16.Encode([]rune(text))
	if mark {
		units = append([]uint16{0xfeff}, units...)
	}
	for _, u := range units {
		if big {
			b.Write([]byte{byte(u >> 8), byte(u)})
		} else {
			b.Write([]byte{byte(u), byte(u >> 8)})
		}
	}
	return b.String()
}

func TestTextIsReadInEveryCodeAndWithEveryEndOfLines(t *testing.T) {
	const text = "Fähre\n\nkommt an\n"
	for _, c := range []struct{ name, data, code string }{
		{"plain", text, "UTF-8"},
		{"with a mark", "\xef\xbb\xbf" + text, "UTF-8"},
		{"CR and LF", "Fähre\r\n\r\nkommt an\r\n", "UTF-8"},
		{"CR alone", "Fähre\r\rkommt an\r", "UTF-8"},
		{"Latin-1", "F\xe4hre\n\nkommt an\n", "Latin-1"},
		{"UTF-16, small end first", wide(text, false, true), "UTF-16"},
		{"UTF-16, big end first", wide(text, true, true), "UTF-16"},
	} {
		got, err := Decode([]byte(c.data))
		if err != nil || got.Lines != text || got.Code != c.code {
			t.Errorf("%s: %q in %s, %v", c.name, got.Lines, got.Code, err)
		}
	}
	for _, big := range []bool{false, true} {
		if got, err := Decode([]byte(wide("TITLE: X\n", big, false))); err != nil || got.Lines != "TITLE: X\n" {
			t.Errorf("UTF-16 without a mark: %q, %v", got.Lines, err)
		}
	}
}

func TestWhatIsNoTextIsRefused(t *testing.T) {
	for _, data := range []string{"GIF\x00\x01\x02", "\x00\x00\x00\x00", "PK\x03\x04\x00\x00"} {
		if _, err := Decode([]byte(data)); !errors.Is(err, ErrNoText) {
			t.Errorf("%q: %v", data, err)
		}
	}
	if _, err := Read(strings.NewReader(strings.Repeat("x", 1<<20+1)), 1<<20); err == nil ||
		!strings.Contains(err.Error(), "larger than 1 MB") {
		t.Errorf("too large: %v", err)
	}
}
