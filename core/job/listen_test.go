package job

import (
	"encoding/json"
	"strings"
	"testing"
	"unicode/utf8"
)

// A line that is too long is cut, and what comes after it is heard.
func TestALongLineIsNotTheEndOfHearing(t *testing.T) {
	said := strings.Repeat("x", 3<<20) + "\n" + `{"event":"wrote","path":"a"}` + "\n" + strings.Repeat(
		"y", longestLine,
	) + "\nend"
	var heard []Message
	if err := Listen(strings.NewReader(said), func(m Message) { heard = append(heard, m) }); err != nil {
		t.Fatal(err)
	}
	if len(heard) != 4 || heard[0].Event != Warning || len(heard[0].Text) > 2*shownOfLine || heard[1].Path != "a" ||
		heard[3].Text != "end" {
		t.Errorf("%d messages: %.80v", len(heard), heard)
	}
}

// Whatever a renderer says, it is heard to its end, and every message is one that the house can use.
func FuzzListen(f *testing.F) {
	f.Add(`{"event":"progress","progress":0.5}` + "\nplain\n\x00\xff")
	f.Add(`{"event":"progress","progress":1e300,"memory":-5}` + "\r\n" + `{"event":7}`)
	f.Add(strings.Repeat("z", 70000) + "\n{}")
	f.Fuzz(func(t *testing.T, text string) {
		lines := 0
		for line := range strings.SplitSeq(text, "\n") {
			if strings.TrimSpace(line) != "" {
				lines++
			}
		}
		heard := 0
		err := Listen(strings.NewReader(text), func(m Message) {
			heard++
			if m.Event == "" || !(m.Progress >= 0 && m.Progress <= 1) || len(m.Text) > longestLine {
				t.Errorf("heard %+v", m)
			}
			if _, err := json.Marshal(m); err != nil {
				t.Errorf("%+v cannot be kept: %v", m, err)
			}
		})
		if err != nil || heard > lines || utf8.ValidString(text) && heard < lines-1 {
			t.Errorf("%d of %d lines were heard, %v", heard, lines, err)
		}
	})
}
