// Package shotlist reads and writes the shots of a production as a table of comma-separated values (RFC 4180), one shot
// a line:
//
//	code,name,view,frames,sizes
//	010,Ferry comes in,quay,1001-1048,scope; hd
//
// The first line names the columns. Lists have semicolons between their parts; an empty cell leaves a field to the
// production, and "-" stands for nothing where nothing can be said. Tables with semicolons or tabs between cells are
// read, too, with a first line such as "sep=;" that says so, and whatever their code and the ends of their lines; see
// plaintext.
//
// A table is imported as a whole or not at all: every mistake is told with its line and column.
package shotlist

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/plaintext"
	"reelhouse/core/production"
)

// A Column is what a column of a table holds.
type Column string

// The columns. Ignored is one that is not read.
const (
	Ignored  Column = ""
	Code     Column = "code"
	Name     Column = "name"
	View     Column = "view"
	Look     Column = "look"
	Frames   Column = "frames"
	First    Column = "first"
	Last     Column = "last"
	Step     Column = "step"
	Handles  Column = "handles"
	Sizes    Column = "sizes"
	PassList Column = "pass list"
	Outputs  Column = "outputs"
	Quality  Column = "quality"
	InBatch  Column = "in batch"
	Labels   Column = "labels"
	Note     Column = "note"
	Sequence Column = "sequence"
	Value    Column = "value" // of which there may be many: each is a value of the shot, under the column's name
)

// Columns returns all columns, in the order in which they are written. First and Last are read instead of Frames, and
// not written.
func Columns() []Column {
	return []Column{
		Code, Name, View, Look, Frames, Step, Handles, Sizes, PassList, Outputs, Quality, InBatch, Labels, Note,
		Sequence, First, Last, Value,
	}
}

// Limits of a table.
const (
	MaxBytes = 8 << 20
	MaxRows  = 20_000
)

// A Table is what was read, before it is known what its columns mean.
type Table struct {
	Header []string
	Rows   [][]string
	Lines  []int  // of each row in the file, from 1
	Code   string // in which it was written; see plaintext.Text
}

// A Mistake is what is wrong with one cell. Line 0 stands for the whole table, and Column is "" for a whole line.
type Mistake struct {
	Line    int    `json:"line"`
	Column  string `json:"column"` // as the header has it
	Message string `json:"message"`
}

func (m Mistake) Error() string {
	switch {
	case m.Line == 0:
		return m.Message
	case m.Column == "":
		return fmt.Sprintf("line %d: %s", m.Line, m.Message)
	}
	return fmt.Sprintf("line %d, column %s: %s", m.Line, m.Column, m.Message)
}

// Read reads a table. Its errors are of the type Mistake where they belong to a line.
func Read(r io.Reader) (Table, error) {
	text, err := plaintext.Read(r, MaxBytes)
	if errors.Is(err, plaintext.ErrNoText) {
		err = fmt.Errorf("%w; save the sheet as comma-separated values (CSV)", err)
	}
	if err != nil {
		return Table{}, err
	}
	lines, comma := stated(text.Lines)
	c := csv.NewReader(strings.NewReader(lines))
	c.Comma = comma
	c.FieldsPerRecord = -1
	t := Table{Code: text.Code}
	for {
		cells, err := c.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var parse *csv.ParseError
		if errors.As(err, &parse) {
			return Table{}, Mistake{parse.Line, "", fmt.Sprintf("at character %d: %s", parse.Column, parse.Err)}
		} else if err != nil {
			return Table{}, err
		}
		line, _ := c.FieldPos(0)
		for i := range cells {
			cells[i] = strings.TrimSpace(plaintext.Unguarded(strings.TrimSpace(cells[i])))
		}
		switch {
		case t.Header == nil:
			t.Header = cells
		case slices.ContainsFunc(cells, func(s string) bool { return s != "" }):
			if len(cells) > len(t.Header) {
				return Table{}, Mistake{
					line, "", fmt.Sprintf("%d cells, and only %d columns have a name", len(cells), len(t.Header)),
				}
			}
			for len(cells) < len(t.Header) {
				cells = append(cells, "")
			}
			t.Rows, t.Lines = append(t.Rows, cells), append(t.Lines, line)
		}
		if len(t.Rows) > MaxRows {
			return Table{}, fmt.Errorf("more than %d shots", MaxRows)
		}
	}
	if len(t.Rows) == 0 {
		return Table{}, errors.New(
			"the table has no shots: the first line names the columns, and each further one is a shot",
		)
	}
	return t, nil
}

// stated returns what stands between cells, as a first line such as "sep=;" says, which some sheets write; that line is
// empty then. Otherwise it is what the first line has most of.
func stated(text string) (lines string, comma rune) {
	first, rest, _ := strings.Cut(text, "\n")
	mark := []rune(strings.Trim(first, "\" "))
	if len(mark) == 5 && strings.EqualFold(string(mark[:4]), "sep=") && strings.ContainsRune(",;\t|", mark[4]) {
		return "\n" + rest, mark[4]
	}
	return text, separator(first)
}

// separator returns what stands between the cells of the first line.
func separator(first string) rune {
	best, most := ',', strings.Count(first, ",")
	for _, c := range []rune{';', '\t'} {
		if n := strings.Count(first, string(c)); n > most {
			best, most = c, n
		}
	}
	return best
}

// others are further names by which columns are known.
var others = map[string]Column{
	"shot": Code, "shot code": Code, "title": Name, "shot name": Name, "description": Name, "camera view": View,
	"views": View, "range": Frames, "frame range": Frames,
	"in": First, "first frame": First, "start": First, "out": Last, "last frame": Last, "end": Last, "every": Step,
	"size": Sizes, "passes": PassList, "passlist": PassList,
	"output": Outputs, "batch": InBatch, "inbatch": InBatch, "label": Labels, "notes": Note, "comment": Note,
}

// Guess returns what the columns most likely hold, by their names; each kind once.
func (t Table) Guess() []Column {
	columns := make([]Column, len(t.Header))
	for i, name := range t.Header {
		name = strings.ToLower(strings.NewReplacer("_", " ", "-", " ").Replace(name))
		c := Column(name)
		if !slices.Contains(Columns(), c) {
			c = others[name]
		}
		if strings.HasPrefix(name, valuePrefix) {
			columns[i] = Value
			continue
		}
		if c != Ignored && !slices.Contains(columns, c) {
			columns[i] = c
		}
	}
	return columns
}

// A Change is what bringing a table in would do.
type Change struct {
	Added   []string `json:"added"`   // codes of new shots
	Changed []string `json:"changed"` // of those that are different now
	Same    []string `json:"same"`
	Ignored []string `json:"ignored"` // columns that were not read
}

// Apply puts the table's shots into a production: a line whose code is known changes that shot, in the columns that
// there are, and any other adds one. If there is any mistake, the production is left as it was.
func (t Table) Apply(p *production.Production, columns []Column) (Change, []Mistake) {
	change, mistakes := Change{
		Added:   []string{},
		Changed: []string{},
		Same:    []string{},
		Ignored: []string{},
	}, t.wrongColumns(columns)
	if len(mistakes) > 0 {
		return Change{}, mistakes
	}
	for i, c := range columns {
		if c == Ignored {
			change.Ignored = append(change.Ignored, t.Header[i])
		}
	}
	after := p.Copy()
	lines := map[string]int{}
	places := map[string]int{}
	for i, s := range after.Shots {
		places[s.Code] = i
	}
	for i, row := range t.Rows {
		code := row[slices.Index(columns, Code)]
		line := t.Lines[i]
		if before, twice := lines[code]; twice {
			mistakes = append(
				mistakes,
				Mistake{line, t.name(columns, Code), fmt.Sprintf("shot %s stands in line %d already", code, before)},
			)
			continue
		}
		lines[code] = line
		place, known := places[code]
		shot := production.Shot{Code: code, Name: code, InBatch: true}
		if known {
			shot = after.Shots[place]
		}
		was := shot
		found := read(&shot, row, columns)
		for k, c := range columns {
			if c == Value {
				shot.SetValue(KeyOf(t.Header[k]), row[k])
			}
		}
		for k := range found {
			found[k].Line, found[k].Column = line, t.name(columns, Column(found[k].Column))
		}
		if mistakes = append(mistakes, found...); len(found) > 0 {
			continue
		}
		switch {
		case !known:
			places[code] = len(after.Shots)
			after.Shots = append(after.Shots, shot)
			change.Added = append(change.Added, code)
		case same(was, shot):
			change.Same = append(change.Same, code)
		default:
			after.Shots[place] = shot
			change.Changed = append(change.Changed, code)
		}
	}
	before := p.Problems()
	for _, problem := range after.Problems() {
		code, ofShot := strings.CutPrefix(problem.Where, "shot ")
		if line, ours := lines[code]; ofShot && ours && !slices.Contains(before, problem) &&
			!slices.ContainsFunc(mistakes, func(m Mistake) bool { return m.Line == line }) {
			mistakes = append(mistakes, Mistake{line, t.name(columns, fieldColumn(problem.Field)), problem.Message})
		}
	}
	if len(mistakes) > 0 {
		slices.SortStableFunc(mistakes, func(a, b Mistake) int { return a.Line - b.Line })
		return Change{}, mistakes
	}
	*p = after
	return change, nil
}

// fieldColumn returns the column that holds a field of a shot.
func fieldColumn(field string) Column {
	switch field {
	case "passList":
		return PassList
	case "inBatch":
		return InBatch
	}
	return Column(field)
}

// name returns what the table calls a column; the column's own name if it is not there.
func (t Table) name(columns []Column, c Column) string {
	if i := slices.Index(columns, c); i >= 0 {
		return t.Header[i]
	}
	return string(c)
}

func (t Table) wrongColumns(columns []Column) []Mistake {
	var mistakes []Mistake
	wrong := func(format string, args ...any) {
		mistakes = append(mistakes, Mistake{0, "", fmt.Sprintf(format, args...)})
	}
	if len(columns) != len(t.Header) {
		wrong("the table has %d columns, and %d are matched", len(t.Header), len(columns))
		return mistakes
	}
	for i, c := range columns {
		switch {
		case c != Ignored && !slices.Contains(Columns(), c):
			wrong("there is no column %q of a shot", c)
		case c == Value && KeyOf(t.Header[i]) == "":
			wrong("the column %q has no name that a value could have", t.Header[i])
		case c != Ignored && c != Value && slices.Index(columns, c) < i:
			wrong("the columns %s and %s both hold the %s", t.Header[slices.Index(columns, c)], t.Header[i], c)
		}
	}
	if !slices.Contains(columns, Code) {
		wrong("no column holds the code of the shots; say which one does")
	}
	if slices.Contains(columns, First) != slices.Contains(columns, Last) {
		wrong("first and last frame go together; one of them is matched to no column")
	}
	if slices.Contains(columns, First) && slices.Contains(columns, Frames) {
		wrong("frames are given twice, as a set and as first and last; leave one out")
	}
	return mistakes
}

// read fills a shot from a row. Mistakes have the kind of column for a name, and no line.
func read(s *production.Shot, row []string, columns []Column) []Mistake {
	var mistakes []Mistake
	first, last := "", ""
	for i, c := range columns {
		cell, err := row[i], error(nil)
		switch c {
		case Name:
			s.Name = cell
		case View:
			s.View, s.Also = "", nil
			if codes := parts(cell); len(codes) > 0 {
				s.View, s.Also = codes[0], codes[1:]
			}
		case Look:
			s.Look = cell
		case Frames:
			s.Frames, err = frame.Parse(cell)
		case First:
			first = cell
		case Last:
			last = cell
			s.Frames, err = frame.Parse(first + "-" + last)
		case Step:
			s.Step, err = whole(cell)
		case Handles:
			s.Handles = nil
			if cell != "" {
				n, wrong := whole(cell)
				s.Handles, err = &n, wrong
			}
		case Sizes:
			s.Sizes = parts(cell)
		case PassList:
			s.PassList = cell
		case Outputs:
			s.Outputs = parts(cell)
		case Quality:
			s.Quality = cell
		case InBatch:
			s.InBatch, err = yes(cell)
		case Labels:
			s.Labels, err = ReadLabels(cell)
		case Note:
			s.Note = cell
		case Sequence:
			s.Sequence = cell
		}
		if err != nil {
			mistakes = append(mistakes, Mistake{Column: string(c), Message: err.Error()})
		}
	}
	if i, k := slices.Index(columns, First), slices.Index(columns, Last); i > k &&
		k >= 0 { // the last frame came before the first
		set, err := frame.Parse(row[i] + "-" + row[k])
		mistakes = slices.DeleteFunc(mistakes, func(m Mistake) bool { return m.Column == string(Last) })
		if s.Frames = set; err != nil {
			mistakes = append(mistakes, Mistake{Column: string(First), Message: err.Error()})
		}
	}
	return mistakes
}

// parts returns the parts of a list, which has semicolons or, since no code has one, commas or spaces between them.
func parts(cell string) []string {
	return strings.FieldsFunc(cell, func(r rune) bool { return r == ';' || r == ',' || r == ' ' })
}

func whole(cell string) (int, error) {
	if cell == "" {
		return 0, nil
	}
	n, err := strconv.Atoi(cell)
	if err != nil {
		return 0, fmt.Errorf("%q is not a whole number", cell)
	}
	return n, nil
}

func yes(cell string) (bool, error) {
	switch strings.ToLower(cell) {
	case "yes", "y", "true", "1", "in", "x", "":
		return true, nil
	case "no", "n", "false", "0", "out", "-":
		return false, nil
	}
	return false, fmt.Errorf("%q is neither yes nor no", cell)
}

// ReadLabels reads labels of frames, such as "1003 = lamp-lit; 1010 = dark".
func ReadLabels(text string) ([]production.Label, error) {
	var labels []production.Label
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ';' || r == ',' || r == '\n' }) {
		if strings.TrimSpace(part) == "" {
			continue
		}
		number, name, ok := strings.Cut(part, "=")
		n, err := strconv.Atoi(strings.TrimSpace(number))
		if !ok || err != nil || n > frame.MaxNumber || n < -frame.MaxNumber {
			return nil, fmt.Errorf(
				"%q is no label; write a frame and its name, such as 1003 = lamp-lit", strings.TrimSpace(part),
			)
		}
		if slices.ContainsFunc(labels, func(l production.Label) bool { return l.Frame == n }) {
			return nil, fmt.Errorf("frame %d has two names", n)
		}
		labels = append(labels, production.Label{Frame: n, Name: strings.TrimSpace(name)})
	}
	slices.SortFunc(labels, func(a, b production.Label) int { return a.Frame - b.Frame })
	return labels, nil
}

// WriteLabels writes labels as ReadLabels reads them.
func WriteLabels(labels []production.Label) string {
	var parts []string
	for _, l := range labels {
		parts = append(parts, fmt.Sprintf("%d = %s", l.Frame, l.Name))
	}
	return strings.Join(parts, "; ")
}

// same reports whether two shots are written alike.
func same(a, b production.Shot) bool {
	return slices.Equal(cells(a), cells(b)) && WriteValues(a.Values) == WriteValues(b.Values)
}

// written are the columns of a table that Write makes.
func written() []Column { return Columns()[:15] }

func cells(s production.Shot) []string {
	number := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	handles, in := "", "no"
	if s.Handles != nil {
		handles = strconv.Itoa(*s.Handles)
	}
	if s.InBatch {
		in = "yes"
	}
	list := func(codes []string) string { return strings.Join(codes, "; ") }
	return []string{
		s.Code, s.Name, list(s.Seen()), s.Look, s.Frames.String(), number(s.Step), handles, list(s.Sizes), s.PassList,
		list(s.Outputs), s.Quality, in, WriteLabels(s.Labels), s.Note, s.Sequence,
	}
}

// Write writes the shots of a production as a table.
func Write(w io.Writer, shots []production.Shot) error {
	c := csv.NewWriter(w)
	var header []string
	for _, column := range written() {
		header = append(header, string(column))
	}
	keys := production.Production{Shots: shots}.ValueKeys()
	for _, key := range keys {
		header = append(header, valuePrefix+key)
	}
	c.Write(header)
	for _, s := range shots {
		line, values := cells(s), s.ValueMap()
		for _, key := range keys {
			line = append(line, values[key])
		}
		c.Write(plaintext.Guarded(line))
	}
	c.Flush()
	return c.Error()
}
