package work

import (
	"reflect"
	"strings"
	"testing"
	"time"
)

func TestSettingsAreReadAndWritten(t *testing.T) {
	for text, want := range map[string]struct {
		written string
		is      Settings
	}{
		"":                     {"", Settings{}},
		"tries=5 cores=2":      {"cores=2 tries=5", Settings{Cores: 2, Tries: 5}},
		"memory=1500MB":        {"memory=1500MB", Settings{Memory: 1_500_000_000}},
		"memory=4gb":           {"memory=4GB", Settings{Memory: 4_000_000_000}},
		"labels=fast,big,fast": {"labels=big,fast", Settings{Labels: []string{"big", "fast"}}},
		"licences=lumen:2,oak": {"licences=lumen:2,oak", Settings{Licences: map[string]int{"lumen": 2,
			"oak": 1}}},
		"licences=oak:1":               {"licences=oak", Settings{Licences: map[string]int{"oak": 1}}},
		"timeout=90m chunk=8":          {"chunk=8 timeout=1h30m", Settings{Chunk: 8, Timeout: 90 * time.Minute}},
		"timeout=7200s":                {"timeout=2h", Settings{Timeout: 2 * time.Hour}},
		"labels=none tries=1 cores=12": {"cores=12 labels=none tries=1", Settings{Cores: 12, Tries: 1}},
	} {
		o, err := ParseOverride(text)
		if err != nil || string(o) != want.written {
			t.Errorf("%q is %q, %v", text, o, err)
		}
		if got := o.On(Settings{}); !reflect.DeepEqual(got, want.is) {
			t.Errorf("%q: %+v", text, got)
		}
	}
	for text, says := range map[string]string{
		"cpu=2": "is no setting", "cores": "is no setting", "cores=0": "a whole number from 1",
		"cores=2 cores=3": "twice",
		"memory=4":        "write it as", "memory=lots": "write it as", "labels=a b": "is no setting",
		"labels=a,":    "is no word",
		"licences=x:0": "no number of licences", "licences=x,x": "each once", "timeout=5": "write it as 90s",
		"timeout=-2h": "at most 720h", "chunk=-1": "from 1", "tries=1e3": "from 1 to 100",
	} {
		if o, err := ParseOverride(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %q, %v", text, o, err)
		}
	}
}

// What a person says replaces what the renderer says, and that what the kind says, setting by setting.
func TestLaterSettingsReplaceEarlierOnes(t *testing.T) {
	c := Catalogue{
		Kinds:     map[Kind]Settings{Render: {Cores: 2, Tries: 5}, Assemble: {Cores: 4}},
		Renderers: map[string]Override{"halyard": "licences=halyard chunk=4"},
	}
	now, usual := c.Of(Class{Render, "halyard", "cores=8 licences=none"})
	if usual.String() != "cores=2 licences=halyard chunk=4 tries=5" || now.String() != "cores=8 chunk=4 tries=5" {
		t.Errorf("usually %q, now %q", usual, now)
	}
	if now, _ := c.Of(Class{Kind: Assemble, Renderer: "halyard"}); now.String() != "cores=4" {
		t.Errorf("putting together needs %q", now)
	}
	if o := Override("cores=2 tries=4").And("tries=1 chunk=3"); o != "cores=2 chunk=3 tries=1" {
		t.Errorf("together they are %q", o)
	}
}

func TestWhatATaskWaitsFor(t *testing.T) {
	c := Catalogue{Licences: map[string]int{"lumen": 2}}
	n := Node{Name: "one", Slots: 3, Cores: 8, Memory: 16e9, Labels: []string{"big"}}
	for needs, want := range map[Override]string{
		"":                        "",
		"labels=big cores=8":      "it needs 8 cores, and node one has 6 free",
		"labels=fast":             "node one has no label fast",
		"cores=9":                 "it needs 9 cores, and node one has 8",
		"cores=6":                 "",
		"memory=20GB":             "it needs 20 GB of memory, and node one has 16 GB",
		"memory=12GB":             "it needs 12 GB of memory, and node one has 10 GB free",
		"licences=lumen":          "",
		"licences=lumen:2":        "it waits for licence lumen: 1 of 2 in use",
		"licences=lumen:3":        "it needs 3 of licence lumen, and the house has 2",
		"licences=oak":            "it needs 1 of licence oak, and the house has 0",
		"labels=big memory=1GB":   "",
		"labels=big,fast cores=1": "node one has no label fast",
	} {
		used := Use{Tasks: 2, Cores: 2, Memory: 6e9}
		if got := c.Waits(needs.On(Settings{}), n, used, map[string]int{"lumen": 1}); got != want {
			t.Errorf("%q: %q, want %q", needs, got, want)
		}
	}
	if got := c.Waits(Settings{}, n, Use{Tasks: 3}, nil); got != "all 3 slots of node one are taken" {
		t.Errorf("a full node: %q", got)
	}
}

// What is written is read back as the same, whatever people type.
func FuzzParseOverride(f *testing.F) {
	for _, text := range []string{"cores=2 memory=4GB labels=a,b licences=x:2 chunk=8 timeout=2h tries=5",
		"labels=none",
		"memory=1048577B", "timeout=1.5s", "=", "cores==2"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		o, err := ParseOverride(text)
		if err != nil {
			return
		}
		again, err := ParseOverride(string(o))
		if err != nil || again != o {
			t.Errorf("%q is written %q, and that is %q, %v", text, o, again, err)
		}
		if !strings.Contains(string(o), "none") && o.On(Settings{}).String() != string(o) {
			t.Errorf("%q is %q", o, o.On(Settings{}))
		}
	})
}

func TestLabelsOfANodeAreRead(t *testing.T) {
	for text, want := range map[string]string{
		"": "", " big ,fast,big": "big fast", ",,": "", strings.Repeat("a", 200): "error", "a b": "error",
		"<b>":                               "error",
		"a,b,c,d,e,f,g,h,i,j,k,l,m,n,o,p,q": "error",
	} {
		got, err := ParseLabels(text)
		if (err != nil) != (want == "error") || err == nil && strings.Join(got, " ") != want {
			t.Errorf("%q: %q, %v", text, got, err)
		}
	}
}
