package shotlist

import (
	"bytes"
	"encoding/csv"
	"errors"
	"os"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
)

func harbour() production.Production {
	p := production.New("SALT", "Ferry")
	p.Scene.SHA256 = "x"
	for _, code := range []string{"quay", "bow"} {
		p.Views = append(p.Views, production.View{Code: code, Camera: "cam_" + code, Look: p.Looks[0].Code})
	}
	three := 3
	p.Shots = []production.Shot{
		{
			Code:    "010",
			Name:    "Ferry, \"slow\"",
			View:    "quay",
			Also:    []string{"bow"},
			Frames:  frame.MustParse("1001-1048x2,1060"),
			Handles: &three,
			Sizes:   []string{"scope", "hd"},
			InBatch: true,
			Labels:  []production.Label{{Frame: 1003, Name: "lamp-lit"}},
			Note:    "two\nlines",
		},
		{
			Code:     "020",
			Name:     "Still",
			View:     "bow",
			Frames:   frame.Of(1084, 1084),
			Step:     2,
			PassList: "comp",
			Outputs:  []string{"master"},
			Quality:  "final",
		},
	}
	return p
}

func mustRead(t *testing.T, text string) Table {
	t.Helper()
	table, err := Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return table
}

func TestWrittenShotsComeBackTheSame(t *testing.T) {
	p := harbour()
	var b bytes.Buffer
	if err := Write(&b, p.Shots); err != nil {
		t.Fatal(err)
	}
	table := mustRead(t, b.String())
	empty := harbour()
	empty.Shots = nil
	change, mistakes := table.Apply(&empty, table.Guess())
	if len(mistakes) > 0 || len(change.Added) != 2 || len(change.Ignored) != 0 {
		t.Fatalf("%+v, %v", change, mistakes)
	}
	for i := range p.Shots {
		if !slices.Equal(cells(p.Shots[i]), cells(empty.Shots[i])) {
			t.Errorf("shot %d is %q, not %q", i, cells(empty.Shots[i]), cells(p.Shots[i]))
		}
	}
	if change, _ := table.Apply(&p, table.Guess()); len(change.Same) != 2 {
		t.Errorf("the same again: %+v", change)
	}
}

func TestTablesOfOtherPeopleAreMatched(t *testing.T) {
	p := harbour()
	table := mustRead(
		t,
		"\xef\xbb\xbfShot;Description;Camera view;First frame;Last frame;Sizes;Budget\r\n010;Ferry comes "+
			"in;quay;1001;1024;scope,hd;12\r\n\r\n030;New;bow;1100;1101;;\r\n",
	)
	change, mistakes := table.Apply(&p, table.Guess())
	if len(mistakes) > 0 || !slices.Equal(change.Added, []string{"030"}) ||
		!slices.Equal(change.Changed, []string{"010"}) ||
		!slices.Equal(change.Ignored, []string{"Budget"}) {
		t.Fatalf("%+v, %v", change, mistakes)
	}
	if s, _ := p.FindShot("010"); s.Frames.String() != "1001-1024" || s.Name != "Ferry comes in" ||
		s.Note != "two\nlines" ||
		s.Handles == nil {
		t.Errorf("what the table does not have did not stay: %+v", s)
	}
	if s, _ := p.FindShot("030"); s.Set("sizes") || !s.InBatch {
		t.Errorf("the new shot is %+v", s)
	}
}

func TestMistakesAreToldByLineAndColumnAndNothingIsKept(t *testing.T) {
	p := harbour()
	table := mustRead(
		t,
		"code,view,frames,step,in batch,labels\n010,quay,1001-1010,,yes,\n"+
			"040,nowhere,1-5,,,\n050,bow,5-1,two,perhaps,1003\n010,bow,1-2,,,\n",
	)
	_, mistakes := table.Apply(&p, table.Guess())
	var got []string
	for _, m := range mistakes {
		got = append(got, m.Error())
	}
	want := []string{
		`line 3, column view: the view "nowhere" does not exist; choose another`,
		`line 4, column frames: frames "5-1", at character 1: the first frame 5 comes after the last, 1; write 1-5`,
		`line 4, column step: "two" is not a whole number`,
		`line 4, column in batch: "perhaps" is neither yes nor no`,
		`line 4, column labels: "1003" is no label; write a frame and its name, such as 1003 = lamp-lit`,
		`line 5, column code: shot 010 stands in line 2 already`,
	}
	if !slices.Equal(got, want) {
		t.Errorf("mistakes:\n%s", strings.Join(got, "\n"))
	}
	if s, _ := p.FindShot("010"); s.Frames.Count() != 25 || len(p.Shots) != 2 {
		t.Error("something was kept")
	}
	if _, err := Read(strings.NewReader("code,name\n010,\"open\n")); !errors.As(err, &Mistake{}) ||
		!strings.Contains(err.Error(), "line 2") {
		t.Errorf("an open quote: %v", err)
	}
	for _, text := range []string{"", "code\n", "a\x00b\n1\n", "code\n1,2\n"} {
		if _, err := Read(strings.NewReader(text)); err == nil {
			t.Errorf("%q was read", text)
		}
	}
	for _, columns := range [][]Column{{Name, View}, {Code, Code}, {Code}, {Code, First}, {Code, "weight"}} {
		if _, mistakes := mustRead(t, "a,b\n1,2\n").Apply(&p, columns); len(mistakes) == 0 {
			t.Errorf("columns %q were taken", columns)
		}
	}
}

func FuzzTable(f *testing.F) {
	f.Add("code,view,frames\n010,quay,1001-1048\n")
	f.Add("Shot;first;last;labels\n1;2;3;4=a;5=b\n")
	f.Add("code,name\n\"a\"\"b\",\"c\nd\"\n")
	f.Fuzz(func(t *testing.T, text string) {
		table, err := Read(strings.NewReader(text))
		if err != nil {
			return
		}
		p := harbour()
		if _, mistakes := table.Apply(&p, table.Guess()); len(mistakes) > 0 {
			return
		}
		var b bytes.Buffer
		if err := Write(&b, p.Shots); err != nil {
			t.Fatal(err)
		}
		again := mustRead(t, b.String())
		q := p.Copy()
		if change, mistakes := again.Apply(&q, again.Guess()); len(mistakes) > 0 || len(change.Same) != len(p.Shots) {
			t.Fatalf("%q does not come back: %+v, %v", b.String(), change, mistakes)
		}
	})
}

// What a program that shows tables would work out goes out as text, and comes back as it was.
func TestCellsAreNoFormulas(t *testing.T) {
	p := production.New("SALT", "A title")
	p.Shots = []production.Shot{
		{Code: "010", Name: "=HYPERLINK(1)", Note: "@sum", Frames: frame.MustParse("-12--5"), InBatch: true},
	}
	var b bytes.Buffer
	if err := Write(&b, p.Shots); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(b.Bytes())).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range rows {
		for _, cell := range row {
			if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
				t.Errorf("the cell %q is a formula", cell)
			}
		}
	}
	table, err := Read(&b)
	if err != nil {
		t.Fatal(err)
	}
	if got := table.Rows[0]; !slices.Contains(got, "=HYPERLINK(1)") || !slices.Contains(got, "@sum") ||
		!slices.Contains(got, "-12--5") {
		t.Errorf("it comes back as %q", got)
	}
}

// Columns of a table are values of the shots; written again, they are read as the same.
func TestColumnsAreValues(t *testing.T) {
	table, err := Read(strings.NewReader("code,view,frames,value:Title,Lamp,sequence\n" +
		"010,v,1001,Low water,red,sq1\n020,v,1002,\"Ebb, slow\",,sq1\n"))
	if err != nil {
		t.Fatal(err)
	}
	columns := table.Guess()
	if columns[3] != Value || columns[4] != Ignored || columns[5] != Sequence {
		t.Errorf("guessed %v", columns)
	}
	columns[4] = Value
	p := production.New("TEST", "Test")
	p.Views = []production.View{{Code: "v", Camera: "cam", Look: "plain"}}
	if _, mistakes := table.Apply(&p, columns); len(mistakes) > 0 {
		t.Fatal(mistakes)
	}
	want := []production.Value{{Key: "title", Value: "Low water"}, {Key: "lamp", Value: "red"}}
	if !slices.Equal(p.Shots[0].Values, want) || len(p.Shots[1].Values) != 1 || p.Shots[0].Sequence != "sq1" {
		t.Errorf("%+v", p.Shots)
	}
	var b bytes.Buffer
	if err := Write(&b, p.Shots); err != nil {
		t.Fatal(err)
	}
	again, err := Read(&b)
	if err != nil {
		t.Fatal(err)
	}
	if change, mistakes := again.Apply(&p, again.Guess()); len(mistakes) > 0 || len(change.Same) != 2 {
		t.Errorf("%+v, %v", change, mistakes)
	}
	if read, err := ReadValues(WriteValues(want)); err != nil || !slices.Equal(read, want) {
		t.Errorf("%v, %v", read, err)
	}
	for _, wrong := range []string{"title", "= x", "a = 1; a = 2"} {
		if _, err := ReadValues(wrong); err == nil {
			t.Errorf("%q was taken", wrong)
		}
	}
}

// The files were written by hand: RFC 4180 in UTF-16 (RFC 2781) and ISO 8859-1, with the first line that spreadsheets
// write to say what stands between cells (common practice).
func TestTablesAreReadInEveryCodeOfTheirTime(t *testing.T) {
	for name, code := range map[string]string{
		"utf16": "UTF-16", "latin1": "Latin-1", "carriage_returns": "UTF-8", "separator": "UTF-8",
	} {
		file, err := os.Open("testdata/" + name + ".csv")
		if err != nil {
			t.Fatal(err)
		}
		table, err := Read(file)
		file.Close()
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if !slices.Equal(table.Header, []string{"code", "name"}) || table.Rows[0][1] != "Fähre, spät" ||
			table.Lines[0] != 3 || table.Code != code {
			t.Errorf("%s: %q, %q from line %v in %s", name, table.Header, table.Rows, table.Lines, table.Code)
		}
	}
	if table := mustRead(t, "sep=\t\ncode\tname\n010\tx\n"); table.Rows[0][1] != "x" {
		t.Errorf("with tabs there is %q", table.Rows)
	}
	if _, err := Read(strings.NewReader("PK\x03\x04\x00\x00")); err == nil ||
		!strings.Contains(err.Error(), "save the sheet as") {
		t.Errorf("a packed sheet: %v", err)
	}
}

// Columns whose names say nothing are proposed by what is in them.
func TestColumnsAreProposedByWhatIsInThem(t *testing.T) {
	p := harbour()
	for name, c := range map[string]struct {
		text string
		want []Column
		by   []bool
	}{
		"known shots": {
			"Einstellung,Kamera,Bereich,Was,Los\n010,quay bow,1001-1040,Fähre kommt,yes\n020,bow,1001-1002,noch " +
				"eine,no\n",
			[]Column{Code, View, Frames, Name, InBatch}, []bool{true, true, true, true, true},
		},
		"new shots with first and last": {
			"id,von,bis,bem,shot name\n100,1001,1048,zu dunkel am Ende,Quay\n110,1049,1049,,Bow\n",
			[]Column{Code, First, Last, Note, Name}, []bool{true, true, true, true, false},
		},
		"what the names say comes first": {
			"shot,a,b\n010,scope; hd,comp\n020,scope,comp\n", []Column{Code, Sizes, PassList}, []bool{false, true,
				true},
		},
		"what fits nothing is not read": {
			"shot,a,b\n010,7,\n020,9,\n", []Column{Code, Ignored, Ignored}, []bool{false, false, false},
		},
	} {
		table := mustRead(t, c.text)
		columns, by := table.Propose(p)
		if !slices.Equal(columns, c.want) || !slices.Equal(by, c.by) {
			t.Errorf("%s: %q, by contents %v", name, columns, by)
		}
		q := p.Copy()
		if _, mistakes := table.Apply(&q, columns); len(mistakes) > 0 && slices.Contains(columns, View) {
			t.Errorf("%s: %v", name, mistakes)
		}
	}
}
