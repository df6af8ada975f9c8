package difference

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"
)

type part struct {
	Code  string `json:"code"`
	Value int    `json:"value"`
	Note  string `json:"note,omitempty"`
}

type document struct {
	Title string   `json:"title"`
	Parts []part   `json:"parts"`
	Plain []int    `json:"plain,omitempty"`
	Inner struct{} `json:"inner"`
}

func base() document {
	return document{Title: "a", Parts: []part{{"x", 1, "n"}, {"y", 2, ""}, {"z", 3, ""}}, Plain: []int{1, 2}}
}

var cases = map[string]struct {
	change func(d *document)
	where  string
}{
	"nothing":       {func(*document) {}, ""},
	"a value":       {func(d *document) { d.Title = "b" }, "title"},
	"within a part": {func(d *document) { d.Parts[1].Value = 9 }, "parts › y › value"},
	"taken away":    {func(d *document) { d.Parts[0].Note = "" }, "parts › x › note"},
	"a part more":   {func(d *document) { d.Parts = append(d.Parts, part{"w", 4, ""}) }, "parts › w"},
	"a part less":   {func(d *document) { d.Parts = append(d.Parts[:0:0], d.Parts[0], d.Parts[2]) }, "parts › y"},
	"the order": {
		func(d *document) { d.Parts = append(d.Parts[:0:0], d.Parts[2], d.Parts[0], d.Parts[1]) },
		"parts › (order)",
	},
	"a plain list": {func(d *document) { d.Plain = []int{2, 1} }, "plain"},
	"no list":      {func(d *document) { d.Plain = nil }, "plain"},
	"no parts":     {func(d *document) { d.Parts = nil }, "parts › x, parts › y, parts › z"},
	"several": {func(d *document) {
		d.Title, d.Parts[0].Value = "c", 5
		d.Parts = append(d.Parts, part{Code: "v"})
	}, "parts › x › value, parts › v, title"},
}

func TestChangesAreFoundAtTheirPlaceAndCarriedOver(t *testing.T) {
	for name, c := range cases {
		to := base()
		c.change(&to)
		changes, err := Between(base(), to)
		if err != nil {
			t.Fatal(err)
		}
		var where []string
		for _, change := range changes {
			where = append(where, change.Where())
		}
		if got := strings.Join(where, ", "); got != c.where {
			t.Errorf("%s: at %s, want %s", name, got, c.where)
		}
		into := base()
		if err := Apply(&into, changes...); err != nil {
			t.Fatal(err)
		}
		if rest, err := Between(into, to); err != nil || len(rest) > 0 {
			t.Errorf("%s: after applying there is still %v, %v", name, rest, err)
		}
	}
}

func TestAPartOfThePastIsPutBackAlone(t *testing.T) {
	now := base()
	now.Title, now.Parts[0].Value = "b", 100
	changes, err := Between(now, base())
	if err != nil || len(changes) != 2 {
		t.Fatalf("%v, %v", changes, err)
	}
	if err := Apply(&now, changes[0]); err != nil || now.Parts[0].Value != 1 || now.Title != "b" {
		t.Errorf("%+v, %v", now, err)
	}
}

func TestWhatIsGoneIsSaid(t *testing.T) {
	now := base()
	before := base()
	for _, path := range [][]string{{"parts", "gone", "value"}, {"title", "x"}, {"plain", "x"}} {
		if err := Apply(&now, Change{Path: path, Is: json.RawMessage("1")}); err == nil ||
			!strings.Contains(err.Error(), "any more") {
			t.Errorf("%v: %v", path, err)
		}
	}
	if err := Apply(&now, Change{Path: []string{"title"}, Is: json.RawMessage("[]")}); err == nil {
		t.Error("a title became a list")
	}
	if !reflect.DeepEqual(now, before) {
		t.Errorf("mistakes changed the document: %+v", now)
	}
	if err := Apply(now, Change{}); err == nil {
		t.Error("a copy was changed")
	}
}

func TestChangesMeetWhereOneHoldsTheOther(t *testing.T) {
	c := func(path ...string) Change { return Change{Path: path} }
	if !c("a", "b").Meets(c("a")) || !c("a").Meets(c("a", "b")) || c("a", "b").Meets(c("a", "c")) ||
		!c("a").Meets(c("a")) {
		t.Error("meeting is wrong")
	}
	if c("a").Same(c("b")) || !c("a").Same(c("a")) ||
		c("a").Same(Change{Path: []string{"a"}, Is: json.RawMessage("1")}) {
		t.Error("sameness is wrong")
	}
}
