package farm

import (
	"fmt"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/dustin/go-humanize"

	"reelhouse/core/job"
)

// A Log collects what happens to a frame, a line at a time with its clock time.
type Log struct {
	mutex sync.Mutex
	text  strings.Builder
	full  bool
	now   func() time.Time
}

// NewLog returns an empty log.
func NewLog() *Log { return &Log{now: time.Now} }

// Bounds of a log, in bytes: what comes later, and what is behind in a line, is not kept.
const (
	maxLog  = 1 << 20
	maxLine = 4 << 10
)

// Add adds a line.
func (l *Log) Add(format string, args ...any) {
	line := fmt.Sprintf(format, args...)
	if len(line) > maxLine {
		line = strings.ToValidUTF8(line[:maxLine], "") + " …"
	}
	l.mutex.Lock()
	defer l.mutex.Unlock()
	switch {
	case l.text.Len() < maxLog:
		fmt.Fprintf(&l.text, "%s  %s\n", l.now().UTC().Format("15:04:05.000"), line)
	case !l.full:
		l.full = true
		l.text.WriteString("the log is full; what the renderer said after this was not kept\n")
	}
}

// Append adds what another log holds.
func (l *Log) Append(other *Log) {
	text := other.String()
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.text.WriteString(text)
}

// Take adds text as it is, which has its own lines and times, such as that of another machine.
func (l *Log) Take(text string) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if room := maxLog - l.text.Len(); len(text) > room {
		text = strings.ToValidUTF8(text[:max(0, room)], "")
	}
	l.text.WriteString(text)
}

// Last adds a line though the log is full.
func (l *Log) Last(format string, args ...any) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	fmt.Fprintf(&l.text, "%s  %s\n", l.now().UTC().Format("15:04:05.000"), fmt.Sprintf(format, args...))
}

// line adds what a declared program has said.
func (l *Log) line(m job.Message) {
	switch m.Event {
	case job.Failed, job.Warning:
		l.Add("%s: %s", m.Event, m.Text)
	case job.Progress:
		l.message(m)
	default:
		l.Add("%s", m.Text)
	}
}

func (l *Log) message(m job.Message) {
	switch m.Event {
	case job.Started:
		l.Add("frame %d started", m.Frame)
	case job.Progress:
		text := fmt.Sprintf("%3.0f %%", m.Progress*100)
		if m.Remaining > 0 {
			text += fmt.Sprintf(", %.1f s left", m.Remaining)
		}
		l.Add("%s%s", text, taken(m))
	case job.Wrote:
		l.Add("wrote %s, %d bytes, after %.2f s%s", filepath.Base(m.Path), m.Bytes, m.Seconds, taken(m))
	case job.Finished:
		l.Add("it has finished")
	case job.Used:
		l.Add("it took %.2f s of processor time%s", m.Processor, taken(m))
	case job.Judged:
	default:
		l.Add("%s: %s", m.Event, m.Text)
	}
}

// taken says how fast a renderer is and how much memory it has taken, as far as it tells.
func taken(m job.Message) string {
	text := ""
	if m.RaysPerSecond > 0 {
		text += fmt.Sprintf(", %.2f million rays/s", m.RaysPerSecond/1e6)
	}
	if m.Memory > 0 {
		text += ", peak " + humanize.Bytes(uint64(m.Memory))
	}
	return text
}

func (l *Log) String() string {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.text.String()
}

// errorTail is how many of the last lines of a child's error output are kept.
const errorTail = 40

// A tail keeps the last lines that are written to it.
type tail struct {
	mutex sync.Mutex
	kept  []string
	open  string
	began string // the first line that says something
}

func (t *tail) Write(p []byte) (int, error) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	parts := strings.Split(t.open+string(p), "\n")
	t.open = parts[len(parts)-1]
	if len(t.open) > maxLine {
		t.open = t.open[:maxLine]
	}
	for _, line := range parts[:len(parts)-1] {
		if t.began == "" {
			t.began = strings.TrimSpace(line[:min(len(line), maxLine)])
		}
	}
	t.kept = append(t.kept, parts[:len(parts)-1]...)
	if extra := len(t.kept) - errorTail; extra > 0 {
		t.kept = append([]string(nil), t.kept[extra:]...)
	}
	return len(p), nil
}

func (t *tail) lines() []string {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	if t.open == "" {
		return t.kept
	}
	return append(t.kept, t.open)
}

// beginning returns the first line that says something, "" for none.
func (t *tail) beginning() string {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return t.began
}

// first returns what stands behind a prefix in the first line that has it, "" if none has.
func (t *tail) first(prefix string) string {
	for _, line := range t.lines() {
		if rest, found := strings.CutPrefix(line, prefix); found {
			return rest
		}
	}
	return ""
}
