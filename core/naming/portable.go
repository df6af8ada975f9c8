package naming

import (
	"fmt"
	"strings"
)

// Limits that common systems set (common practice: most file systems take 255 bytes a name, and some tools
// only 260 characters a path, from which a root folder is to be taken off).
const (
	MaxName = 255
	MaxPath = 200
)

// Portable returns what may go wrong with a path on some system, each in a sentence; nothing for a good one.
func Portable(path string) []string {
	_, path = SplitVolume(path)
	var problems []string
	add := func(format string, args ...any) { problems = append(problems, fmt.Sprintf(format, args...)) }
	if len(path) > MaxPath {
		add("the path is %d bytes long, over %d", len(path), MaxPath)
	}
	for name := range strings.SplitSeq(path, "/") {
		base, _, _ := strings.Cut(strings.ToUpper(name), ".")
		switch {
		case name == "":
			add("a folder has no name")
			continue
		case len(name) > MaxName:
			add("the name %.20s… is %d bytes long, over %d", name, len(name), MaxName)
		case isDevice(base):
			add("%q is a device on some systems", name)
		case strings.HasSuffix(name, ".") || strings.HasSuffix(name, " "):
			add("%q ends with a dot or space, which some systems take away", name)
		case strings.HasPrefix(name, "."):
			add("%q begins with a dot, which hides it", name)
		case strings.HasPrefix(name, "-"):
			add("%q begins with a hyphen, which tools take for an option", name)
		case strings.ContainsAny(name, refused):
			add("%q has a character that some systems refuse", name)
		}
		for _, c := range name {
			if c > 126 {
				add("%q has the letter %q, which systems store in different ways", name, c)
				break
			}
		}
	}
	return problems
}

// A Folder is a part of the tree that paths make.
type Folder struct {
	Name    string
	Folders []*Folder
	Lines   []Line // sequences that lie right here
	Files   int    // here and below
	More    int    // folders and sequences that Compact has left out here
}

// A Line is one sequence in a folder.
type Line struct {
	What        string
	First, Last string // file names
	Path        string // of the first file, whole
	Count       int
}

// Tree lays the runs out in folders, in their order.
func Tree(runs []Run) *Folder {
	root := &Folder{}
	known := map[string]*Folder{} // by their whole paths
	for _, run := range runs {
		first, last := run.Path.Frame(run.Frames.First()), run.Path.Frame(run.Frames.Last())
		n, at := run.Frames.Count(), root
		at.Files += n
		path := run.Path.String()
		for begin, end := 0, 0; ; begin = end + 1 {
			slash := strings.IndexByte(path[begin:], '/')
			if slash < 0 {
				break
			}
			end = begin + slash
			sub := known[path[:end]]
			if sub == nil {
				sub = &Folder{Name: path[begin:end]}
				known[path[:end]] = sub
				at.Folders = append(at.Folders, sub)
			}
			at = sub
			at.Files += n
		}
		at.Lines = append(
			at.Lines,
			Line{
				run.What, first[strings.LastIndexByte(first, '/')+1:], last[strings.LastIndexByte(last, '/')+1:], first,
				n,
			},
		)
	}
	return root
}

// Compact returns the tree with folders that hold nothing but one other folder joined to that: "a/b/c". Of every folder
// no more than so many folders and sequences are kept.
func (f *Folder) Compact(most int) *Folder {
	lines, folders := f.Lines[:min(len(f.Lines), most)], f.Folders[:min(len(f.Folders), most)]
	out := &Folder{
		Name:  f.Name,
		Lines: lines,
		Files: f.Files,
		More:  len(f.Lines) - len(lines) + len(f.Folders) - len(folders),
	}
	for _, sub := range folders {
		for len(sub.Folders) == 1 && len(sub.Lines) == 0 {
			only := sub.Folders[0]
			sub = &Folder{Name: sub.Name + "/" + only.Name, Folders: only.Folders, Lines: only.Lines, Files: only.Files}
		}
		out.Folders = append(out.Folders, sub.Compact(most))
	}
	return out
}
