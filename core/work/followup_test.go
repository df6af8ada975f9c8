package work

import (
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/fingerprint"
	"reelhouse/core/plan"
)

func follow(kind, follows string, byFrame bool, extensions ...string) Following {
	return Following{
		plan.FollowUp{Kind: kind, Follows: follows, ByFrame: byFrame, Extensions: extensions},
		fingerprint.Renderer{Name: kind}, "",
	}
}

func TestShippedFollowUpsAreWell(t *testing.T) {
	if err := CheckFollowUps(ShippedFollowUps("1")); err != nil {
		t.Error(err)
	}
}

func TestFollowUpsThatCannotBe(t *testing.T) {
	many := follow("m", "", true, "x")
	many.Parameters = map[string]string{"after": "1"}
	for name, c := range map[string]struct {
		all   []Following
		wants string
	}{
		"a circle of two": {[]Following{follow("a", "b", true, "x"), follow("b", "a", true, "x")},
			"a follows b follows a"},
		"itself": {[]Following{follow("a", "a", true, "x")}, "a follows a"},
		"a circle behind": {[]Following{follow("c", "a", true, "x"), follow("a", "b", true, "x"), follow("b",
			"a", true, "x")}, "a follows b follows a"},
		"what is not known":    {[]Following{follow("a", "z", true, "x")}, "which is no kind"},
		"twice":                {[]Following{follow("a", "", true, "x"), follow("a", "", true, "x")}, "twice"},
		"a frame of a whole":   {[]Following{follow("a", "b", true, "x"), follow("b", "", false, "x")}, "by frame"},
		"no file":              {[]Following{follow("a", "", true)}, "makes no file"},
		"the same file twice":  {[]Following{follow("a", "", true, "x", "x")}, "twice"},
		"a path":               {[]Following{follow("a", "", true, "../x")}, "no word"},
		"a number for a name":  {[]Following{follow("1001", "", true, "x")}, "letter"},
		"the house's own":      {[]Following{follow("render", "", true, "x")}, "own"},
		"a word that is taken": {[]Following{many}, "parameter"},
	} {
		if err := CheckFollowUps(c.all); err == nil || !strings.Contains(err.Error(), c.wants) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestWishesAreRead(t *testing.T) {
	movie := follow("movie", "", false, "mkv")
	movie.Parameters = map[string]string{"rate": "24"}
	all := append(ShippedFollowUps("1"), movie)
	w, err := ParseWish(" movie rate=25 after=12  at=22:00 held", all)
	if err != nil || w.After != 12 || w.At != "22:00" || !w.Held || w.Parameters["rate"] != "25" {
		t.Errorf("%+v, %v", w, err)
	}
	if movie.Parameters["rate"] != "24" {
		t.Error("the kind's own parameters were changed")
	}
	for _, text := range []string{
		"", "film", "movie rate", "movie rate=1 rate=2", "movie speed=1", "movie after=x", "movie after=-1",
		"movie held=1",
		"movie at=", "movie held held",
	} {
		if w, err := ParseWish(text, all); err == nil {
			t.Errorf("%q is read as %+v", text, w)
		}
	}
}

func TestWishesStandBehindWhatTheyFollow(t *testing.T) {
	wish := func(kind, follows string) Wish { return Wish{FollowUp: follow(kind, follows, true, "x").FollowUp} }
	a, b, c := wish("a", ""), wish("b", "a"), wish("c", "b")
	got, err := InOrder([]Wish{c, b, a})
	if err != nil || !reflect.DeepEqual(got, []Wish{a, b, c}) {
		t.Errorf("%v, %v", got, err)
	}
	if _, err := InOrder([]Wish{c, a}); err == nil || !strings.Contains(err.Error(), "c follows b") {
		t.Errorf("without what it follows: %v", err)
	}
	if _, err := InOrder([]Wish{a, a}); err == nil {
		t.Error("twice the same is no mistake")
	}
}

func FuzzParseWish(f *testing.F) {
	for _, seed := range []string{"checksums", "values after=3 at=22:00 held", "= =", "checksums after="} {
		f.Add(seed)
	}
	all := ShippedFollowUps("1")
	f.Fuzz(func(t *testing.T, text string) {
		w, err := ParseWish(text, all)
		if err == nil && (w.Kind == "" || w.After < 0) {
			t.Errorf("%q is read as %+v", text, w)
		}
	})
}
