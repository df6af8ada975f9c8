package mhl

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// ErrNoHistory is wrapped by the error about a folder that has no hash lists.
var ErrNoHistory = errors.New("it has no hash lists: there is no " + Dir + "/" + ChainName)

// readersAtOnce is how many files are read side by side: disks and hashes keep each other waiting otherwise.
const readersAtOnce = 2

// History is what a folder says of itself: its generations, the oldest first.
type History struct {
	Chain []Link
	Lists []List
	Wrong []Fault // lists that are missing, or are not what they were
}

// A Fault is one thing that is wrong with a folder.
type Fault struct {
	Kind FaultKind `json:"kind"`
	Path string    `json:"path"`
	Text string    `json:"text,omitempty"`
}

// A FaultKind says how something is wrong.
type FaultKind string

// The kinds of faults.
const (
	Changed FaultKind = "changed"
	Missing FaultKind = "missing"
	New     FaultKind = "new"
	BadList FaultKind = "list" // of hashes
	Unread  FaultKind = "unread"
)

// ReadHistory reads the hash lists of a folder. The error wraps ErrNoHistory if it has no chain; lists that are there
// without one are wrong.
func ReadHistory(fsys fs.FS) (h History, err error) {
	data, err := readBounded(fsys, path.Join(Dir, ChainName))
	if errors.Is(err, fs.ErrNotExist) {
		if err := h.findUnknown(fsys); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return h, err
		}
		return h, ErrNoHistory
	} else if err != nil {
		return h, err
	}
	if h.Chain, err = DecodeChain(bytes.NewReader(data)); err != nil {
		return h, fmt.Errorf("%s/%s: %w", Dir, ChainName, err)
	}
	for _, link := range h.Chain {
		data, err := readBounded(fsys, path.Join(Dir, link.Name))
		if errors.Is(err, fs.ErrNotExist) {
			h.bad(link.Name, "is missing")
			continue
		} else if err != nil {
			return h, err
		}
		if sum := C4.Of(data); sum != link.C4 {
			h.bad(link.Name, "is not what it was when it was written: "+sum+" is not "+link.C4)
			continue
		}
		list, err := Decode(bytes.NewReader(data))
		if err != nil {
			h.bad(link.Name, err.Error())
			continue
		}
		h.Lists = append(h.Lists, list)
	}
	return h, h.findUnknown(fsys)
}

// bad notes what is wrong with a list.
func (h *History) bad(name, text string) {
	h.Wrong = append(h.Wrong, Fault{BadList, path.Join(Dir, name), text})
}

// findUnknown notes the lists that the chain does not name.
func (h *History) findUnknown(fsys fs.FS) error {
	entries, err := fs.ReadDir(fsys, Dir)
	if err != nil {
		return err
	}
	for _, e := range entries {
		known := slices.ContainsFunc(h.Chain, func(l Link) bool { return l.Name == e.Name() })
		if !known && strings.HasSuffix(e.Name(), ".mhl") {
			h.bad(e.Name(), "is a hash list that the chain does not know")
		}
	}
	return nil
}

func readBounded(fsys fs.FS, name string) ([]byte, error) {
	f, err := fsys.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, MostListBytes+1))
	if err == nil && len(data) > MostListBytes {
		err = fmt.Errorf("%s is larger than %d MB", name, MostListBytes>>20)
	}
	return data, err
}

// ignored returns what is no part of the folder by its lists.
func (h History) ignored() []string {
	all := usualIgnored()
	for _, l := range h.Lists {
		for _, p := range l.Ignore {
			if !slices.Contains(all, p) {
				all = append(all, p)
			}
		}
	}
	return all
}

// ignores reports whether a pattern holds for something: a name or a path, with * and ?; one with a slash at its end is
// for folders.
func ignores(patterns []string, name string, folder bool) bool {
	for _, p := range patterns {
		bare, only := strings.CutSuffix(p, "/")
		if only && !folder {
			continue
		}
		against := path.Base(name)
		if strings.Contains(bare, "/") {
			bare, against = strings.TrimPrefix(bare, "/"), name
		}
		if matched, err := path.Match(bare, against); err == nil && matched {
			return true
		}
	}
	return false
}

// known is what lists say of a file.
type known struct {
	size   int64 // -1 for unknown
	hashes map[Format]string
	usual  Format // that is compared: of the newest list that has one
	first  string // the fault of lists that do not agree, "" if they do
}

// files returns what the lists say of each file: what was found failed does not count.
func (h History) files() map[string]*known {
	all := map[string]*known{}
	for i, list := range h.Lists {
		for _, f := range list.Files {
			k := all[f.Path]
			if k == nil {
				k = &known{size: f.Size, hashes: map[Format]string{}}
				all[f.Path] = k
			}
			picked := false
			for _, hash := range f.Hashes {
				if hash.Action == Failed {
					continue
				}
				if was, there := k.hashes[hash.Format]; there && was != hash.Value && k.first == "" {
					k.first = fmt.Sprintf("list %d has %s %s, and one before it %s", i+1, hash.Format, hash.Value, was)
				}
				if k.hashes[hash.Format] = hash.Value; !picked {
					k.usual, picked = hash.Format, true
				}
			}
		}
	}
	return all
}

// A walked is a file of a folder.
type walked struct {
	path string
	info fs.FileInfo
}

// walk returns the files and folders of a folder, without what is ignored; nested are folders with histories of their
// own, of which nothing else is returned. Links and other things that are no plain files are odd.
func walk(fsys fs.FS, patterns []string) (files, folders []walked, nested []string, odd []Fault, err error) {
	err = fs.WalkDir(fsys, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			odd = append(odd, Fault{Unread, name, err.Error()})
			if d != nil && d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if name == "." {
			return nil
		}
		if ignores(patterns, name, d.IsDir()) {
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		info, err := d.Info()
		switch {
		case err != nil:
			odd = append(odd, Fault{Unread, name, err.Error()})
		case d.IsDir():
			if _, err := fs.Stat(fsys, path.Join(name, Dir, ChainName)); err == nil {
				nested = append(nested, name)
				return fs.SkipDir
			}
			folders = append(folders, walked{name, info})
		case !info.Mode().IsRegular():
			odd = append(odd, Fault{New, name, "it is no plain file"})
		default:
			files = append(files, walked{name, info})
		}
		return nil
	})
	return files, folders, nested, odd, err
}

// Progress is told how many files and bytes are done, of how many.
type Progress func(files, allFiles int, bytes, allBytes int64)

// sums reads files, several at once, each for the hashes of several formats. What cannot be read has an error instead.
func sums(
	ctx context.Context, fsys fs.FS, files []walked, formats func(path string) []Format, progress Progress,
) (all []map[Format]string, failed []error, err error) {
	all, failed = make([]map[Format]string, len(files)), make([]error, len(files))
	var bytes int64
	for _, f := range files {
		bytes += f.info.Size()
	}
	var next, done, read atomic.Int64
	var group sync.WaitGroup
	for range readersAtOnce {
		group.Go(func() {
			buffer := make([]byte, 1<<20)
			for i := int(next.Add(1)) - 1; i < len(files) && ctx.Err() == nil; i = int(next.Add(1)) - 1 {
				all[i], failed[i] = sumsOf(ctx, fsys, files[i].path, formats(files[i].path), buffer, &read)
				n := done.Add(1)
				if progress != nil {
					progress(int(n), len(files), read.Load(), bytes)
				}
			}
		})
	}
	group.Wait()
	return all, failed, context.Cause(ctx)
}

func sumsOf(
	ctx context.Context, fsys fs.FS, name string, formats []Format, buffer []byte, read *atomic.Int64,
) (map[Format]string, error) {
	f, err := fsys.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	hashers := map[Format]interface {
		io.Writer
		Sum([]byte) []byte
	}{}
	for _, format := range formats {
		hashers[format] = format.hasher()
	}
	for {
		n, err := f.Read(buffer)
		for _, h := range hashers {
			h.Write(buffer[:n])
		}
		read.Add(int64(n))
		if err == io.EOF {
			break
		}
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return nil, err
		}
	}
	all := map[Format]string{}
	for format, h := range hashers {
		all[format] = format.text(h.Sum(nil))
	}
	return all, nil
}

// A Report is what became of comparing a folder with its lists.
type Report struct {
	Generations int     `json:"generations"`
	Files       int     `json:"files"` // that were read
	Bytes       int64   `json:"bytes"`
	Wrong       []Fault `json:"wrong"`
}

// Clean reports whether nothing is wrong.
func (r Report) Clean() bool { return len(r.Wrong) == 0 }

// Check compares a folder with its newest list, and all of its lists with one another. Folders in it that have lists of
// their own are compared with these.
func Check(ctx context.Context, fsys fs.FS, progress Progress) (r Report, err error) {
	h, err := ReadHistory(fsys)
	if err != nil {
		return r, err
	}
	r = Report{Generations: len(h.Chain), Wrong: append([]Fault{}, h.Wrong...)}
	files, _, nested, odd, err := walk(fsys, h.ignored())
	if err != nil {
		return r, err
	}
	r.Wrong = append(r.Wrong, odd...)
	said := h.files()
	compared := make([]walked, 0, len(files))
	seen := map[string]bool{}
	for _, f := range files {
		k := said[f.path]
		seen[f.path] = true
		switch {
		case k == nil:
			r.Wrong = append(r.Wrong, Fault{New, f.path, "no list has it"})
		case k.first != "":
			r.Wrong = append(r.Wrong, Fault{Changed, f.path, k.first})
		case k.usual == "":
			r.Wrong = append(r.Wrong, Fault{BadList, f.path, "no list has a hash of it of a format that is known"})
		case k.size >= 0 && k.size != f.info.Size():
			text := fmt.Sprintf("it has %d bytes, and had %d", f.info.Size(), k.size)
			r.Wrong = append(r.Wrong, Fault{Changed, f.path, text})
		default:
			compared = append(compared, f)
			r.Bytes += f.info.Size()
		}
	}
	r.Files = len(compared)
	found, failed, err := sums(
		ctx, fsys, compared, func(p string) []Format { return []Format{said[p].usual} }, progress,
	)
	if err != nil {
		return r, err
	}
	for i, f := range compared {
		k := said[f.path]
		switch is := found[i][k.usual]; {
		case failed[i] != nil:
			r.Wrong = append(r.Wrong, Fault{Unread, f.path, failed[i].Error()})
		case is != k.hashes[k.usual]:
			text := fmt.Sprintf("its %s is %s, and was %s", k.usual, is, k.hashes[k.usual])
			r.Wrong = append(r.Wrong, Fault{Changed, f.path, text})
		}
	}
	for _, name := range nested {
		if err := r.within(ctx, fsys, name, progress); err != nil {
			return r, err
		}
	}
	for p := range said {
		within := slices.ContainsFunc(nested, func(n string) bool { return strings.HasPrefix(p, n+"/") })
		if _, err := fs.Stat(fsys, p); !seen[p] && (!within || errors.Is(err, fs.ErrNotExist)) {
			r.Wrong = append(r.Wrong, Fault{Missing, p, "it is not there"})
		}
	}
	slices.SortStableFunc(r.Wrong, func(a, b Fault) int { return strings.Compare(a.Path, b.Path) })
	return r, nil
}

// within adds what is wrong with a folder of the folder that has a history of its own.
func (r *Report) within(ctx context.Context, fsys fs.FS, name string, progress Progress) error {
	sub, err := fs.Sub(fsys, name)
	if err != nil {
		return err
	}
	inner, err := Check(ctx, sub, progress)
	if ctx.Err() != nil {
		return err
	}
	if err != nil {
		r.Wrong = append(r.Wrong, Fault{BadList, name, err.Error()})
	}
	for _, f := range inner.Wrong {
		f.Path = path.Join(name, f.Path)
		r.Wrong = append(r.Wrong, f)
	}
	r.Files, r.Bytes = r.Files+inner.Files, r.Bytes+inner.Bytes
	return nil
}

// Making is how a list is made.
type Making struct {
	Format        Format // of hashes of files that have none yet, and of folders
	Created       time.Time
	Host          string
	Tool, Version string
	Author        string
	Process       string
	Ignore        []string
}

// Seal reads a folder and returns its next list: every file with its hash, which is held against those before; and
// every folder. It returns what is wrong, too, which is noted in the list as failed. Folders with histories of their
// own are left out.
func Seal(ctx context.Context, fsys fs.FS, how Making, progress Progress) (List, []Fault, error) {
	if err := how.Format.Check(); err != nil {
		return List{}, nil, err
	}
	h, err := ReadHistory(fsys)
	if err != nil && !errors.Is(err, ErrNoHistory) {
		return List{}, nil, err
	}
	list := List{
		Created: how.Created, Host: how.Host, Tool: how.Tool, Version: how.Version, Author: how.Author,
		Process: how.Process, Ignore: h.ignored(),
	}
	for _, p := range how.Ignore {
		if !slices.Contains(list.Ignore, p) {
			list.Ignore = append(list.Ignore, p)
		}
	}
	files, folders, _, wrong, err := walk(fsys, list.Ignore)
	if err != nil {
		return list, nil, err
	}
	said := h.files()
	formats := func(p string) []Format {
		if k := said[p]; k != nil && k.usual != "" && k.usual != how.Format {
			return []Format{k.usual, how.Format}
		}
		return []Format{how.Format}
	}
	found, failed, err := sums(ctx, fsys, files, formats, progress)
	if err != nil {
		return list, nil, err
	}
	for i, f := range files {
		if failed[i] != nil {
			return list, nil, fmt.Errorf("%s: %w", f.path, failed[i])
		}
		file := File{Path: f.path, Size: f.info.Size(), Modified: f.info.ModTime()}
		k := said[f.path]
		for _, format := range formats(f.path) {
			hash := Hash{format, found[i][format], Original, how.Created}
			switch {
			case k == nil || k.usual == "":
			case k.hashes[format] == "":
				hash.Action = Added
			case k.hashes[format] == hash.Value:
				hash.Action = Verified
			default:
				hash.Action = Failed
				text := fmt.Sprintf("its %s is %s, and was %s", format, hash.Value, k.hashes[format])
				wrong = append(wrong, Fault{Changed, f.path, text})
			}
			file.Hashes = append(file.Hashes, hash)
		}
		if slices.ContainsFunc(file.Hashes, func(h Hash) bool { return h.Action == Failed }) {
			file.Hashes = slices.DeleteFunc(file.Hashes, func(h Hash) bool { return h.Action == Added })
		}
		list.Files = append(list.Files, file)
	}
	seen := map[string]bool{}
	for _, f := range files {
		seen[f.path] = true
	}
	for p := range said {
		if _, err := fs.Stat(fsys, p); !seen[p] && errors.Is(err, fs.ErrNotExist) {
			wrong = append(wrong, Fault{Missing, p, "it is not there"})
		}
	}
	list.Folders, list.Root = foldersOf(files, folders, found, how)
	slices.SortStableFunc(wrong, func(a, b Fault) int { return strings.Compare(a.Path, b.Path) })
	return list, wrong, nil
}

// foldersOf returns the hashes of folders: of what is in all files, however they are called, and of how all is called
// and arranged, too. Each is the hash of the sorted hashes of what is in the folder; for the second those of its name
// and its own hash, one after the other.
func foldersOf(
	files, folders []walked, found []map[Format]string, how Making,
) (all []Folder, root Folder) {
	type parts struct{ content, structure [][]byte }
	in := map[string]*parts{".": {}}
	for _, f := range folders {
		in[f.path] = &parts{}
	}
	add := func(name string, content, structure []byte) {
		within := in[path.Dir(name)]
		within.content = append(within.content, content)
		h := how.Format.hasher()
		io.WriteString(h, path.Base(name))
		h.Write(structure)
		within.structure = append(within.structure, h.Sum(nil))
	}
	for i, f := range files {
		sum, _ := how.Format.bytes(found[i][how.Format])
		add(f.path, sum, sum)
	}
	together := func(sums [][]byte) []byte {
		slices.SortFunc(sums, bytes.Compare)
		h := how.Format.hasher()
		for _, sum := range sums {
			h.Write(sum)
		}
		return h.Sum(nil)
	}
	sum := func(p *parts) (content, structure []byte) { return together(p.content), together(p.structure) }
	hashed := func(sum []byte) []Hash {
		return []Hash{{Format: how.Format, Value: how.Format.text(sum), Date: how.Created}}
	}
	for _, f := range slices.Backward(folders) { // what is in it comes after it in a walk
		content, structure := sum(in[f.path])
		add(f.path, content, structure)
		all = append(all, Folder{f.path, f.info.ModTime(), hashed(content), hashed(structure)})
	}
	slices.Reverse(all)
	content, structure := sum(in["."])
	return all, Folder{Content: hashed(content), Structure: hashed(structure)}
}
