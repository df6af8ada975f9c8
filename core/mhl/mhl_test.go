package mhl

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"
)

var at = time.Date(2026, 11, 29, 9, 30, 0, 0, time.UTC)

func usual(format Format) Making {
	return Making{Format: format, Created: at, Host: "quay", Tool: "reelhouse", Version: "1", Process: "in-place"}
}

// sealed adds the next generation to a folder.
func sealed(t *testing.T, folder fstest.MapFS, how Making) (List, []Fault) {
	t.Helper()
	list, wrong, err := Seal(t.Context(), folder, how, nil)
	if err != nil {
		t.Fatal(err)
	}
	h, err := ReadHistory(folder)
	if err != nil && !errors.Is(err, ErrNoHistory) {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := list.Encode(&b); err != nil {
		t.Fatal(err)
	}
	name := NameOf(len(h.Chain)+1, "ferry", at)
	folder[Dir+"/"+name] = &fstest.MapFile{Data: b.Bytes()}
	chain := append(h.Chain, Link{len(h.Chain) + 1, name, C4.Of(b.Bytes())})
	b = bytes.Buffer{}
	if err := EncodeChain(&b, chain); err != nil {
		t.Fatal(err)
	}
	folder[Dir+"/"+ChainName] = &fstest.MapFile{Data: b.Bytes()}
	return list, wrong
}

func file(text string) *fstest.MapFile { return &fstest.MapFile{Data: []byte(text), ModTime: at} }

// faults writes what a folder has as kinds and paths.
func faults(t *testing.T, folder fs.FS) string {
	t.Helper()
	r, err := Check(t.Context(), folder, nil)
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, f := range r.Wrong {
		all = append(all, string(f.Kind)+" "+f.Path)
	}
	return strings.Join(all, ", ")
}

// Hashes are those of Debian's xxhsum, md5sum and sha1sum; a C4 identifier is the one that the documents of C4 have for
// nothing at all (from memory).
func TestHashesAreThoseOfOthers(t *testing.T) {
	const nothing = "c459dsjfscH38cYeXXYogktxf4Cd9ibshE3BHUo6a58hBXmRQ" +
		"dZrAkZzsWcbWtDg5oQstpDuni4Hirj75GEmTc1sFT"
	if got := C4.Of(nil); got != nothing {
		t.Errorf("C4 of nothing is %s", got)
	}
	if back, err := C4.bytes(C4.Of([]byte("x"))); err != nil || C4.text(back) != C4.Of([]byte("x")) {
		t.Errorf("C4 there and back: %v", err)
	}
	for _, c := range []struct {
		format Format
		args   []string
	}{
		{XXH64, []string{"xxhsum", "-H1"}}, {XXH128, []string{"xxhsum", "-H2"}}, {XXH3, []string{"xxhsum", "-H3"}},
		{MD5, []string{"md5sum"}}, {SHA1, []string{"sha1sum"}},
	} {
		if _, err := exec.LookPath(c.args[0]); err != nil {
			t.Logf("%s is not there", c.args[0])
			continue
		}
		for _, length := range []int{0, 1, 17, 240, 241, 5000} {
			data := bytes.Repeat([]byte("ferry"), 1000)[:length]
			path := filepath.Join(t.TempDir(), "f")
			if err := os.WriteFile(path, data, 0o644); err != nil {
				t.Fatal(err)
			}
			out, err := exec.Command(c.args[0], append(c.args[1:], path)...).Output()
			if err != nil || !slices.Contains(strings.Fields(string(out)), c.format.Of(data)) {
				t.Errorf("%s of %d bytes is %s; %s, %v", c.format, length, c.format.Of(data), out, err)
			}
		}
	}
}

// The folder of the format's documented example (from memory): its hashes come out, those of its folders, too. The text
// of one of its files is not known, and its hash is put in.
func TestFoldersHaveTheHashesOfTheExample(t *testing.T) {
	folder := fstest.MapFS{
		"Clips/A002C006_141024_R2EC.mov": file("abcd\n"), "Clips/A002C007_141024_R2EC.mov": file("def\n"),
		"Sidecar.txt": file("?"),
	}
	files, folders, _, _, err := walk(folder, usualIgnored())
	if err != nil {
		t.Fatal(err)
	}
	found := []map[Format]string{
		{XXH64: XXH64.Of([]byte("abcd\n"))}, {XXH64: XXH64.Of([]byte("def\n"))}, {XXH64: "3ab5a4166b9bde44"},
	}
	if found[0][XXH64] != "0ea03b369a463d9d" || found[1][XXH64] != "7680e5f98f4a80fd" {
		t.Errorf("files: %v", found)
	}
	all, root := foldersOf(files, folders, found, usual(XXH64))
	got := []string{
		all[0].Path, all[0].Content[0].Value, all[0].Structure[0].Value, root.Content[0].Value, root.Structure[0].Value,
	}
	want := []string{"Clips", "4c226b42e27d7af3", "906faa843d591a9f", "8d02114c32e28cbe", "f557f8ca8e5a88ef"}
	if !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
}

func TestWhatIsChangedGoneOrNewIsNamed(t *testing.T) {
	for _, format := range Formats() {
		folder := fstest.MapFS{
			"a.exr": file(
				"one",
			), "b/c.exr": file("two"), "b/d.exr": file("three"), "e": file(""), ".DS_Store": file("x"),
		}
		if _, wrong := sealed(t, folder, usual(format)); len(wrong) > 0 {
			t.Fatal(wrong)
		}
		if got := faults(t, folder); got != "" {
			t.Errorf("%s, as it was sealed: %s", format, got)
		}
		folder["b/c.exr"] = file("tvo")
		folder["e"] = file("longer")
		delete(folder, "a.exr")
		folder["b/new"] = file("x")
		if got := faults(t, folder); got != "missing a.exr, changed b/c.exr, new b/new, changed e" {
			t.Errorf("%s: %s", format, got)
		}
	}
}

// A further generation says what has stayed, and what has not; what has changed is not called right by it.
func TestGenerations(t *testing.T) {
	folder := fstest.MapFS{"a": file("one"), "b": file("two"), "c": file("three")}
	sealed(t, folder, usual(XXH64))
	folder["b"] = file("TWO")
	folder["d"] = file("four")
	delete(folder, "c")
	list, wrong := sealed(t, folder, usual(XXH128))
	if len(wrong) != 2 || wrong[0].Kind != Changed || wrong[0].Path != "b" || wrong[1].Kind != Missing {
		t.Errorf("%+v", wrong)
	}
	var got []string
	for _, f := range list.Files {
		for _, h := range f.Hashes {
			got = append(got, fmt.Sprintf("%s %s %s", f.Path, h.Format, h.Action))
		}
	}
	want := []string{"a xxh64 verified", "a xxh128 new", "b xxh64 failed", "d xxh128 original"}
	if !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
	if got := faults(t, folder); got != "changed b, missing c" {
		t.Errorf("after it: %s", got)
	}
	folder["b"], folder["c"] = file("two"), file("three")
	if got := faults(t, folder); got != "" {
		t.Errorf("mended: %s", got)
	}
}

// Lists prove themselves by their chain: one that is changed, gone or slipped in is named, and so is one that gives a
// file another hash than the list before.
func TestListsAreProved(t *testing.T) {
	fresh := func() fstest.MapFS {
		folder := fstest.MapFS{"a": file("one"), "b": file("two")}
		sealed(t, folder, usual(SHA1))
		sealed(t, folder, usual(SHA1))
		return folder
	}
	second := Dir + "/" + NameOf(2, "ferry", at)
	for name, c := range map[string]struct {
		change func(folder fstest.MapFS)
		want   string
	}{
		"a list is changed": {
			func(f fstest.MapFS) {
				f[second].Data = bytes.ReplaceAll(f[second].Data, []byte("quay"), []byte("QUAY"))
			},
			"list " + second,
		},
		"a list is gone": {func(f fstest.MapFS) { delete(f, second) }, "list " + second},
		"a list is slipped in": {
			func(f fstest.MapFS) { f[Dir+"/0003_x.mhl"] = f[second] }, "list " + Dir + "/0003_x.mhl",
		},
		"lists do not agree": {
			func(f fstest.MapFS) {
				list, chain := f[second], f[Dir+"/"+ChainName]
				was := C4.Of(list.Data)
				other := func(data []byte, from, to string) []byte {
					return bytes.ReplaceAll(data, []byte(from), []byte(to))
				}
				list.Data = other(list.Data, SHA1.Of([]byte("two")), SHA1.Of([]byte("oops")))
				chain.Data = other(chain.Data, was, C4.Of(list.Data))
				f["b"] = file("oops")
			}, "changed b",
		},
	} {
		folder := fresh()
		c.change(folder)
		if got := faults(t, folder); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
	if _, err := Check(t.Context(), fstest.MapFS{"a": file("one")}, nil); !errors.Is(err, ErrNoHistory) {
		t.Errorf("no lists: %v", err)
	}
	folder := fresh()
	folder[Dir+"/"+ChainName] = file("<x/>")
	if _, err := Check(t.Context(), folder, nil); err == nil ||
		!strings.Contains(err.Error(), "no chain of hash lists") {
		t.Errorf("another chain: %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Check(ctx, fresh(), nil); !errors.Is(err, context.Canceled) {
		t.Errorf("nobody waits: %v", err)
	}
}

func TestAFolderWithinAFolderHasItsOwnHistory(t *testing.T) {
	inner := fstest.MapFS{"x": file("one"), "y": file("two")}
	sealed(t, inner, usual(MD5))
	folder := fstest.MapFS{"a": file("three")}
	for name, f := range inner {
		folder["in/"+name] = f
	}
	list, _ := sealed(t, folder, usual(MD5))
	if len(list.Files) != 1 || faults(t, folder) != "" {
		t.Errorf("%+v, %s", list.Files, faults(t, folder))
	}
	folder["in/y"] = file("TWO")
	delete(folder, "in/x")
	if got := faults(t, folder); got != "missing in/x, changed in/y" {
		t.Error(got)
	}
}

func TestListsThereAndBack(t *testing.T) {
	folder := fstest.MapFS{"a & b/<c>.exr": file("one"), "d": file("two")}
	how := usual(XXH3)
	how.Author, how.Ignore = "Ann", []string{"*.tmp", "/b/old/"}
	list, _, err := Seal(t.Context(), folder, how, nil)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := list.Encode(&b); err != nil {
		t.Fatal(err)
	}
	back, err := Decode(bytes.NewReader(b.Bytes()))
	if err != nil || fmt.Sprintf("%+v", back) != fmt.Sprintf("%+v", list) {
		t.Errorf("%v\n%+v\n%+v\n%s", err, list, back, b.String())
	}
	for want, text := range map[string]string{
		"no hash list":         "text",
		"version \"1.1\"":      `<hashlist version="1.1" xmlns="urn:ASC:MHL:v2.0"/>`,
		"is no hash of md5":    strings.ReplaceAll(b.String(), "xxh3", "md5"),
		"no path within":       strings.ReplaceAll(b.String(), ">d<", ">../d<"),
		"something follows":    b.String() + "<x/>",
		"is no path within th": strings.ReplaceAll(b.String(), ">d<", ">/etc/passwd<"),
	} {
		if _, err := Decode(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	list, _, err := Seal(context.Background(), fstest.MapFS{"a/b": file("one")}, usual(XXH64), nil)
	if err != nil {
		f.Fatal(err)
	}
	var b bytes.Buffer
	if err := list.Encode(&b); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Add(
		[]byte(
			`<hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0"><hashes><hash><path size="-1">a</path></hash>` +
				`</hashes></hashlist>`,
		),
	)
	f.Fuzz(func(t *testing.T, data []byte) {
		l, err := Decode(bytes.NewReader(data))
		if err != nil {
			return
		}
		for _, file := range l.Files {
			if !fs.ValidPath(file.Path) {
				t.Fatalf("%q leads somewhere else", file.Path)
			}
		}
		History{Lists: []List{l}}.files()
	})
}

func FuzzDecodeChain(f *testing.F) {
	var b bytes.Buffer
	if err := EncodeChain(&b, []Link{{1, "0001_a.mhl", C4.Of(nil)}}); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		chain, err := DecodeChain(bytes.NewReader(data))
		for i, l := range chain {
			if err == nil && (l.Number != i+1 || !fs.ValidPath(l.Name) || strings.Contains(l.Name, "/")) {
				t.Fatalf("%+v", chain)
			}
		}
	})
}

// BenchmarkCheck compares 64 files of 4 MB with their list, on two threads.
func BenchmarkCheck(b *testing.B) {
	for _, format := range []Format{XXH64, XXH128, MD5, C4} {
		b.Run(string(format), func(b *testing.B) {
			folder := fstest.MapFS{}
			for i := range 64 {
				folder[fmt.Sprint(i)] = &fstest.MapFile{Data: bytes.Repeat([]byte{byte(i)}, 4<<20)}
			}
			list, _, err := Seal(b.Context(), folder, usual(format), nil)
			if err != nil {
				b.Fatal(err)
			}
			var text, chain bytes.Buffer
			if err := list.Encode(&text); err != nil {
				b.Fatal(err)
			}
			if err := EncodeChain(&chain, []Link{{1, "0001_a.mhl", C4.Of(text.Bytes())}}); err != nil {
				b.Fatal(err)
			}
			folder[Dir+"/0001_a.mhl"] = &fstest.MapFile{Data: text.Bytes()}
			folder[Dir+"/"+ChainName] = &fstest.MapFile{Data: chain.Bytes()}
			b.SetBytes(64 * 4 << 20)
			b.ReportAllocs()
			for b.Loop() {
				if r, err := Check(b.Context(), folder, nil); err != nil || !r.Clean() {
					b.Fatal(r, err)
				}
			}
		})
	}
}
