package job

import "testing"

func TestLinesOfLogsAreTakenApart(t *testing.T) {
	for line, want := range map[string]LogLine{
		"20:42:37.335  010 quay, frame 1001": {Clock: "20:42:37.335", Text: "010 quay, frame 1001"},
		"20:42:37.335  error: missing texture": {Clock: "20:42:37.335", Text: "error: missing texture",
			Level: Failed},
		"20:42:37.335  broken: exit code 3": {Clock: "20:42:37.335", Text: "broken: exit code 3",
			Level: Failed},
		"warning: by itself":         {Text: "warning: by itself", Level: Warning},
		"20:42:37.335  no errors: 0": {Clock: "20:42:37.335", Text: "no errors: 0"},
		"":                           {},
		"20:42:37.335 one space":     {Text: "20:42:37.335 one space"},
		"the log is full; what came after was not k": {Text: "the log is full; what came after was not k"},
	} {
		if got := ReadLogLine(line); got != want {
			t.Errorf("%q is %+v", line, got)
		}
	}
}
