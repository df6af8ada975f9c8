package job

import "strings"

// A LogLine is a line of a log as a node writes it: the time of the day, and what happened.
type LogLine struct {
	Clock string // "" where the line has none
	Text  string
	Level Event // Failed or Warning for what a person should see, "" for anything else
}

// clockLength is that of a time of the day with milliseconds, and the spaces behind it.
const clockLength = len("15:04:05.000  ")

// ReadLogLine takes a line of a log apart.
func ReadLogLine(line string) LogLine {
	l := LogLine{Text: line}
	if len(line) >= clockLength && line[2] == ':' && line[5] == ':' && line[8] == '.' && line[12:clockLength] == "  " {
		l.Clock, l.Text = line[:12], line[clockLength:]
	}
	kind, _, found := strings.Cut(l.Text, ":")
	if !found {
		return l
	}
	switch kind {
	case "error", "broken", "refused":
		l.Level = Failed
	case "warning":
		l.Level = Warning
	}
	return l
}
