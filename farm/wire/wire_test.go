package wire

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"github.com/nats-io/nkeys"
)

func tested(t testing.TB) Token {
	t.Helper()
	pair, err := nkeys.CreateUser()
	if err != nil {
		t.Fatal(err)
	}
	seed, err := pair.Seed()
	if err != nil {
		t.Fatal(err)
	}
	return Token{
		Name: "shed-1", Messages: []string{"127.0.0.1:7341"}, Bytes: []string{"127.0.0.1:7342"},
		Certificate: FingerprintOf([]byte("x")), Key: string(seed),
	}
}

func TestTokensAreRead(t *testing.T) {
	token := tested(t)
	read, err := ParseToken("\n " + token.String() + "\n")
	if err != nil || read.String() != token.String() {
		t.Fatal(read, err)
	}
	if public, err := read.Public(); err != nil || !strings.HasPrefix(public, "U") {
		t.Error(public, err)
	}
	text := token.String()
	for says, bad := range map[string]string{
		"begins with":                      "something",
		"damaged, or cut short":            text[:len(text)-20],
		"letters, digits":                  with(token, func(t *Token) { t.Name = "a.b" }),
		"no address":                       with(token, func(t *Token) { t.Bytes = nil }),
		"missing port":                     with(token, func(t *Token) { t.Messages = []string{"here"} }),
		"fingerprint":                      with(token, func(t *Token) { t.Certificate = "00" }),
		"its key":                          with(token, func(t *Token) { t.Key = "SU" }),
		"the key of something else than a": with(token, func(t *Token) { t.Key = accountKey() }),
	} {
		if _, err := ParseToken(bad); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q does not say %q: %v", bad, says, err)
		}
	}
}

// accountKey returns a key that is none of a node.
func accountKey() string {
	pair, _ := nkeys.CreateAccount()
	seed, _ := pair.Seed()
	return string(seed)
}

func with(t Token, change func(t *Token)) string {
	change(&t)
	return t.String()
}

// A node may send and hear under its own name, and under no other that only begins with it.
func TestSubjectsAreANodesOwn(t *testing.T) {
	for _, s := range append(Publishes("a"), Listens("a")...) {
		if strings.Contains(strings.TrimSuffix(s, ".>"), ">") || strings.Contains(s, "*") {
			t.Errorf("%s is wider than a node", s)
		}
	}
	for _, bad := range []string{"", "a.b", "*", "a>", ">", "a b", "-a", strings.Repeat("a", 41), "ä"} {
		if CheckName(bad) == nil {
			t.Errorf("%q is a name", bad)
		}
	}
}

func FuzzParseToken(f *testing.F) {
	f.Add(tested(f).String())
	f.Add(tokenMark)
	f.Add(tokenMark + "e30")
	f.Fuzz(func(t *testing.T, text string) {
		token, err := ParseToken(text)
		if err != nil {
			return
		}
		again, err := ParseToken(token.String())
		if err != nil || again.String() != token.String() {
			t.Errorf("%q becomes %q, %v", text, again, err)
		}
	})
}

func TestPathsOfTheHouseAreMapped(t *testing.T) {
	all := []Mapping{
		{"/data/output", "/mnt/a"},
		{"/data/output/SALT", "/mnt/b"},
		{`D:\renders`, "/mnt/c"},
		{`\\nas\x`, "/d"},
	}
	for path, want := range map[string]string{
		"/data/output/X/1.exr":     "/mnt/a/X/1.exr",
		"/data/output/SALT/1.exr":  "/mnt/b/1.exr",
		"/data/outputs/1.exr":      "",
		"/data/output":             "",
		"/data/output/../../x":     "",
		`D:\renders\SALT\1.exr`:    "/mnt/c/SALT/1.exr",
		`\\nas\x\SALT\1.exr`:       "/d/SALT/1.exr",
		`/data/output/a\..\..\..b`: `/mnt/a/a\..\..\..b`,
	} {
		if got, known := Here(all, path); got != want || known != (want != "") {
			t.Errorf("%s is %s, %v, not %s", path, got, known, want)
		}
	}
	for _, bad := range []string{"", "=", "/a", "/a=", "=/a"} {
		if _, err := ParseMapping(bad); err == nil {
			t.Errorf("%q is a pair", bad)
		}
	}
}

// A result with as many files as one process can be given is said in messages that are short enough, which name each
// file once.
func TestLongResultsAreSeveralMessages(t *testing.T) {
	for _, files := range []int{0, 1, FilesOnce, FilesOnce + 1, 50_001} {
		r := Result{Lease: math.MaxInt64, Failed: strings.Repeat("\x01", 64<<10)}
		for i := range files {
			r.Files = append(r.Files, Made{Write: i, Bytes: math.MaxInt64, SHA256: strings.Repeat("0", 64)})
		}
		named := 0
		all := r.Messages()
		for i, m := range all {
			text, err := json.Marshal(m)
			last := i == len(all)-1
			if err != nil || len(text) > Largest || m.Lease != r.Lease || m.More == last || last != (m.Failed != "") {
				t.Fatalf("%d files: message %d has %d bytes, %v", files, i, len(text), err)
			}
			if last && m.Earlier != named {
				t.Errorf("%d files: the last one says %d, and there were %d", files, m.Earlier, named)
			}
			for _, f := range m.Files {
				if f.Write != named {
					t.Fatalf("%d files: file %d stands where %d does", files, f.Write, named)
				}
				named++
			}
		}
		if named != files {
			t.Errorf("%d files: %d are named", files, named)
		}
	}
}
