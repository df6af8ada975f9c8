package queue

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"reelhouse/core/job"
	"reelhouse/core/queue"
	"reelhouse/store"
)

// A logPage is what was said during one attempt at a task, and what is being said at it now.
type logPage struct {
	Task       string // its address
	Batch      string // where its batch is
	BatchID    int64
	Title      string
	State      queue.State
	Reason     string
	Attempts   []logAttempt // the last one first
	Shown      store.Log
	Lines      []logLine
	Earlier    string // where earlier lines are, "" for nowhere
	Later      string
	All        int // lines
	Words      string
	Wider      string     // where all logs of the batch are searched
	Found      []lineLink // where the words are
	More       int        // further lines that have them
	Marked     []lineLink // errors and warnings
	MoreMarked int
	Download   string
	Live       liveLog
}

// A liveLog is the last of what is being said at a task.
type liveLog struct {
	Running bool
	Text    string
}

type logAttempt struct {
	store.Log
	Link    string
	Current bool
}

type logLine struct {
	job.LogLine
	N       int
	Link    string
	Parts   []textPart
	Current bool
}

// Error and Warns report what a line is.
func (l logLine) Error() bool { return l.Level == job.Failed }
func (l logLine) Warns() bool { return l.Level == job.Warning }

// A textPart is a part of a text; Hit says that it is one of the words that were looked for.
type textPart struct {
	Text string
	Hit  bool
}

type lineLink struct {
	N     int
	Link  string
	Text  string
	Error bool
}

// How many lines of a log are shown on a page, and how many are told of beside it.
const (
	mostLines  = 2000
	mostMarked = 12
	liveLines  = 60
)

// logLink returns where the log of a task is, on the page of a production.
func logLink(code, task string, attempt, line int, words string) string {
	q := url.Values{"log": {task}}
	if attempt > 0 {
		q.Set("attempt", strconv.Itoa(attempt))
	}
	if words != "" {
		q.Set("words", words)
	}
	anchor := ""
	if line > 0 {
		q.Set("line", strconv.Itoa(line))
		anchor = fmt.Sprintf("#line-%d", line)
	}
	return fmt.Sprintf("/p/%s/queue?%s%s", code, q.Encode(), anchor)
}

// task is a task that a page is about.
type task struct {
	address  queue.Address
	scope    store.Scope
	sequence store.Sequence
}

// taskOf finds a task by its address.
func (a *page) taskOf(text string) (t task, err error) {
	if t.address, err = queue.ParseAddress(text); err != nil {
		return t, echo.NewHTTPError(http.StatusUnprocessableEntity, "There is no such task: "+err.Error()+".")
	}
	if t.scope, err = a.House.Record.Named(t.address); err != nil {
		return t, err
	}
	if t.scope.Frame == nil {
		return t, echo.NewHTTPError(
			http.StatusUnprocessableEntity,
			fmt.Sprintf("%s is no task, but several. Name one, such as %s/1001.", text, text),
		)
	}
	t.sequence, err = a.House.Record.Sequence(t.scope.Sequence)
	return t, err
}

// showLog shows the log of the task that the address of a page names.
func (a *page) showLog(code string, query func(string) string) (*logPage, error) {
	t, err := a.taskOf(query("log"))
	if err != nil {
		return nil, err
	}
	number := *t.scope.Frame
	f, err := a.House.Record.Frame(t.sequence.ID, number)
	if err != nil {
		return nil, err
	}
	logs, err := a.House.Record.Logs(t.sequence.ID, number)
	if err != nil {
		return nil, err
	}
	p := &logPage{
		Task: t.address.String(), BatchID: t.sequence.BatchID, Title: t.sequence.Spec.Title(), State: f.State,
		Reason: f.Reason, Words: strings.TrimSpace(query("words")),
		Batch: fmt.Sprintf("/p/%s/queue?open=%d#batch-%d", code, t.sequence.BatchID, t.sequence.BatchID),
		Live:  a.liveOf(t, f),
	}
	p.Wider = fmt.Sprintf("/p/%s/queue?%s", code, url.Values{
		"in": {strconv.FormatInt(p.BatchID, 10)}, "words": {p.Words},
	}.Encode())
	wanted, _ := strconv.Atoi(query("attempt")) // anything else is the last one
	for _, l := range logs {
		if t.address.Tile > 0 && l.Tile != t.address.Tile {
			continue
		}
		p.Attempts = append(p.Attempts, logAttempt{l, logLink(code, p.Task, l.Attempt, 0, p.Words), false})
	}
	at := 0
	for i, l := range p.Attempts {
		if l.Attempt == wanted {
			at = i
		}
	}
	if len(p.Attempts) == 0 {
		return p, nil
	}
	p.Attempts[at].Current = true
	p.Shown = p.Attempts[at].Log
	p.Download = fmt.Sprintf(
		"/p/%s/log/%d/%d?attempt=%d", t.scope.Production, t.sequence.ID, number, p.Shown.Attempt,
	)
	line, _ := strconv.Atoi(query("line"))
	p.fill(code, line)
	return p, nil
}

// fill shows the lines of an attempt around one of them.
func (p *logPage) fill(code string, line int) {
	lines := strings.Split(strings.TrimRight(p.Shown.Text, "\n"), "\n")
	p.All = len(lines)
	link := func(n int) string { return logLink(code, p.Task, p.Shown.Attempt, n, p.Words) }
	from := 0
	if len(lines) > mostLines && line > mostLines/2 {
		from = min(line-mostLines/2, len(lines)-mostLines)
	}
	behind := min(len(lines), from+mostLines)
	if from > 0 {
		p.Earlier = link(max(1, from-mostLines/2))
	}
	if behind < len(lines) {
		p.Later = link(min(len(lines), behind+mostLines/2))
	}
	for i, text := range lines {
		read := job.ReadLogLine(text)
		parts := split(read.Text, p.Words)
		l := lineLink{i + 1, link(i + 1), read.Text, read.Level == job.Failed}
		if len(parts) > 1 || len(parts) == 1 && parts[0].Hit {
			p.Found, p.More = few(p.Found, l, p.More)
		}
		if read.Level != "" {
			p.Marked, p.MoreMarked = few(p.Marked, l, p.MoreMarked)
		}
		if i >= from && i < behind {
			p.Lines = append(p.Lines, logLine{read, i + 1, l.Link, parts, i+1 == line})
		}
	}
}

// few adds a link while there are few, and counts the others.
func few(to []lineLink, l lineLink, more int) ([]lineLink, int) {
	if len(to) < mostMarked {
		return append(to, l), more
	}
	return to, more + 1
}

// split takes a text apart where words are in it, in letters of any case.
func split(text, words string) []textPart {
	if words == "" {
		return []textPart{{text, false}}
	}
	var parts []textPart
	start := 0
	for i := 0; i < len(text); {
		if n := begins(text[i:], words); n > 0 {
			if i > start {
				parts = append(parts, textPart{text[start:i], false})
			}
			parts = append(parts, textPart{text[i : i+n], true})
			i += n
			start = i
			continue
		}
		_, size := utf8.DecodeRuneInString(text[i:])
		i += size
	}
	if start < len(text) || len(parts) == 0 {
		parts = append(parts, textPart{text[start:], false})
	}
	return parts
}

// begins returns how many bytes of a text are the words that it begins with, 0 if it does not.
func begins(text, words string) int {
	n := 0
	for _, w := range words {
		r, size := utf8.DecodeRuneInString(text[n:])
		if size == 0 || unicode.ToLower(r) != unicode.ToLower(w) {
			return 0
		}
		n += size
	}
	return n
}

// liveOf returns the last of what is being said at a task.
func (a *page) liveOf(t task, f store.Frame) liveLog {
	l := liveLog{Text: a.Node.Saying(t.sequence.ID, *t.scope.Frame, t.address.Tile)}
	l.Running = l.Text != "" || f.State.Busy()
	lines := strings.Split(strings.TrimRight(l.Text, "\n"), "\n")
	l.Text = strings.Join(lines[max(0, len(lines)-liveLines):], "\n")
	return l
}

// logFile answers with the log of an attempt as a text file.
func (a *page) logFile(c *echo.Context) error {
	s, _, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	attempt, _ := strconv.Atoi(c.QueryParam("attempt")) // anything else is the last one
	l, err := a.House.Record.Log(s.ID, number, attempt)
	if err != nil {
		return err
	}
	name := strings.ReplaceAll(s.Task(number, l.Tile).String(), "/", "_")
	c.Response().
		Header().
		Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s_attempt_%d.log"`, name, l.Attempt))
	return c.Blob(http.StatusOK, "text/plain; charset=utf-8", []byte(l.Text))
}

// A logSearch is what was found in the logs of a batch.
type logSearch struct {
	Batch store.Batch
	Back  string // where the batch is
	Words string
	Lines []foundLine
	Tasks int
	Hits  int
	More  int // further logs
	Took  time.Duration
}

type foundLine struct {
	store.LogLine
	Read  job.LogLine
	Parts []textPart
	Link  string
	First bool // of its task
}

// searchLogs looks for words in the logs of the batch that the address of a page names.
func (a *page) searchLogs(code string, query func(string) string) (*logSearch, error) {
	id, err := strconv.ParseInt(query("in"), 10, 64)
	if err != nil {
		return nil, echo.NewHTTPError(http.StatusUnprocessableEntity, "Name the batch by its number.")
	}
	s := &logSearch{
		Words: strings.TrimSpace(query("words")), Back: fmt.Sprintf("/p/%s/queue?open=%d#batch-%d", code, id, id),
	}
	if s.Batch, err = a.House.Record.BatchAlone(id); err != nil {
		return nil, err
	}
	began := time.Now()
	found, further, err := a.House.Record.SearchLogs(id, s.Words)
	if err != nil {
		return nil, err
	}
	s.More, s.Hits, s.Took = further, len(found), time.Since(began)
	before := ""
	for _, l := range found {
		task := l.Task.String()
		read := job.ReadLogLine(l.Text)
		if len(read.Text) > mostShown {
			read.Text = strings.ToValidUTF8(read.Text[:mostShown], "") + " …"
		}
		line := foundLine{
			l,
			read,
			split(read.Text, s.Words),
			logLink(code, task, l.Attempt, l.Line, s.Words),
			task != before,
		}
		if line.First {
			s.Tasks++
		}
		before = task
		s.Lines = append(s.Lines, line)
	}
	return s, nil
}

// mostShown is how much of a line is shown among others, in bytes.
const mostShown = 400
