package naming

import (
	"fmt"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"reelhouse/core/frame"
)

// A Run is the files of one sequence: a bound path over frames. What names it for people.
type Run struct {
	What    string
	Pattern Pattern
	Fields  Fields
	Path    Path // the pattern, bound with the fields
	Frames  frame.Set
}

// A Clash is two files that would have one path.
type Clash struct {
	First, Second   string // What of the two runs
	Path            string
	OnlyCaseDiffers bool // the paths differ, but not for every file system
}

func (c Clash) Error() string {
	if c.OnlyCaseDiffers {
		return fmt.Sprintf(
			"%s and %s would write paths that differ in upper and lower case only, %s; some file systems take them "+
				"for one",
			c.First, c.Second, c.Path,
		)
	}
	return fmt.Sprintf("%s and %s would both write %s", c.First, c.Second, c.Path)
}

// A Method is how it was proved that no two files have one path.
type Method string

// The methods, from the cheapest.
const (
	ByPattern  Method = "pattern"   // the pattern keeps all sequences apart, whatever their frames
	BySequence Method = "sequences" // the sequences' paths differ and frame numbers stand by themselves
	ByPath     Method = "paths"     // every path was compared with every other
)

// A Proof says that no two files have one path, or which have.
type Proof struct {
	Method  Method
	Reason  string // in a sentence
	Clashes []Clash
	Files   int
}

// Prove finds out whether two of the runs' files would have one path, on a file system that takes upper and
// lower case for the same. It compares single paths only if neither the patterns nor the sequences prove it.
// All runs are bound by one set of rules. At most limit clashes are named.
func Prove(runs []Run, r Rules, limit int) Proof {
	p := Proof{Method: ByPattern, Reason: "there are no files"}
	for _, run := range runs {
		p.Files += run.Frames.Count()
	}
	if p.Clashes = sameSequences(runs, limit); len(p.Clashes) > 0 {
		p.Method, p.Reason = BySequence, "two sequences have one path"
		return p
	}
	var reasons []string
	groups, apart := byPattern(runs)
	for _, group := range groups {
		method, reason := group[0].Pattern.proves(group, r)
		if method == ByPath || !apart {
			p.Method, p.Clashes = ByPath, comparePaths(runs, limit)
			p.Reason = fmt.Sprintf("each of %d paths was compared with all others", p.Files)
			return p
		}
		if method == BySequence {
			p.Method = BySequence
		}
		if !slices.Contains(reasons, reason) {
			reasons = append(reasons, reason)
		}
	}
	if len(groups) > 1 {
		reasons = append(reasons, "files of different patterns differ in their extension")
	}
	if len(reasons) > 0 {
		p.Reason = strings.Join(reasons, "; ")
	}
	return p
}

// byPattern groups the runs by pattern, and reports whether no two groups share an extension.
func byPattern(runs []Run) (groups [][]Run, apart bool) {
	index, extensions := map[string]int{}, map[string]int{}
	apart = true
	for _, run := range runs {
		i, known := index[run.Pattern.text]
		if !known {
			i = len(groups)
			index[run.Pattern.text], groups = i, append(groups, nil)
		}
		groups[i] = append(groups[i], run)
		ext := strings.ToLower(run.Fields.Ext)
		if other, known := extensions[ext]; known && other != i {
			apart = false
		}
		extensions[ext] = i
	}
	return groups, apart
}

// sameSequences returns the pairs of runs that have one path but for the frame.
func sameSequences(runs []Run, limit int) []Clash {
	var clashes []Clash
	owners := make(map[string]int, len(runs))
	for i, run := range runs {
		key := run.Path.Key()
		first, taken := owners[key]
		if !taken {
			owners[key] = i
			continue
		}
		if other := runs[first]; len(clashes) < limit {
			clashes = append(
				clashes,
				Clash{
					other.What, run.What, run.Path.Frame(run.Frames.First()), other.Path.String() != run.Path.String(),
				},
			)
		}
	}
	return clashes
}

// proves returns by which method files of the runs, all of this pattern and none with the path of another,
// are known to differ; ByPath if that is not known yet.
func (p Pattern) proves(runs []Run, r Rules) (Method, string) {
	for _, run := range runs {
		for _, field := range identity {
			if v := run.Fields.Value(field); v != "" && !ValidCode(v) || run.Fields.Version != runs[0].Fields.Version {
				return ByPath, ""
			}
		}
	}
	if !p.labelsStandAlone(runs) || !p.Has("frame") || !p.codesOnly(runs, r) {
		return ByPath, ""
	}
	if reason := p.separates(runs, r); reason != "" {
		return ByPattern, reason
	}
	if p.aloneFields()["frame"] && p.count("frame") == 1 {
		return BySequence, "no two sequences have one path, and the frame number stands alone between slashes or dots"
	}
	return ByPath, ""
}

// codesOnly reports whether the fields that may be any text hold codes, which have neither slashes nor dots.
func (p Pattern) codesOnly(runs []Run, r Rules) bool {
	for _, q := range p.parts {
		if q.field != "camera" && q.field != "sequence" && !strings.HasPrefix(q.field, valueField) {
			continue
		}
		for _, run := range runs {
			if !ValidCode(r.Clean(run.Fields.Value(q.field))) {
				return false
			}
		}
	}
	return true
}

// labelsStandAlone reports whether names of frames can neither bring two sequences nor two frames together: there are
// none, or each stands alone between slashes or dots, which it does not contain, and so does the frame's number.
func (p Pattern) labelsStandAlone(runs []Run) bool {
	if !p.Has("label") {
		return true
	}
	for _, run := range runs {
		for _, name := range run.Path.labels {
			if !ValidCode(name) {
				return false
			}
		}
	}
	alone := 0
	for i, q := range p.parts {
		if q.field == "label" && p.alone(i) {
			alone++
		}
	}
	return alone == p.count("label") && p.aloneFields()["frame"]
}

func (p Pattern) count(field string) int {
	n := 0
	for _, q := range p.parts {
		if q.field == field {
			n++
		}
	}
	return n
}

// identity lists the fields by which sequences of one batch differ.
var identity = []string{"shot", "size", "output", "pass", "view", "look", "quality", "production"}

// separates returns the reason why files of different sequences, or different frames, can never have one
// path by the pattern; "" if it does not prove it. It holds if every field by which any two sequences
// differ stands alone between slashes or dots, which no code contains: the path can then be read back.
func (p Pattern) separates(runs []Run, r Rules) string {
	alone := p.aloneFields()
	differ := map[string]bool{}
	for _, field := range identity {
		for _, run := range runs {
			if run.Fields.Value(field) != runs[0].Fields.Value(field) {
				differ[field] = true
			}
		}
	}
	var apart []string
	for _, field := range identity {
		if differ[field] && alone[field] {
			apart = append(apart, field)
		}
	}
	// The fields that stand alone must tell all runs apart.
	seen := make(map[string]bool, len(runs))
	for _, run := range runs {
		var key strings.Builder
		for _, field := range apart {
			key.WriteString(strings.ToLower(r.Clean(run.Fields.Value(field))))
			key.WriteByte('/')
		}
		if seen[key.String()] {
			return ""
		}
		seen[key.String()] = true
	}
	if len(apart) == 0 {
		return "there is one sequence, and its frames are numbered"
	}
	verb := "stand"
	if len(apart) == 1 {
		verb = "stands"
	}
	return fmt.Sprintf(
		"%s %s alone between slashes or dots, so that every path says which sequence and frame it is",
		strings.Join(apart, ", "), verb,
	)
}

// aloneFields returns the fields that stand by themselves between slashes or dots somewhere.
func (p Pattern) aloneFields() map[string]bool {
	alone := map[string]bool{}
	for i, q := range p.parts {
		if q.field != "" && p.alone(i) {
			alone[q.field] = true
		}
	}
	return alone
}

// alone reports whether a part stands by itself between slashes or dots.
func (p Pattern) alone(i int) bool {
	before, after := i == 0, i == len(p.parts)-1
	if i > 0 {
		t := p.parts[i-1].text
		before = strings.HasSuffix(t, "/") || strings.HasSuffix(t, ".")
	}
	if i < len(p.parts)-1 {
		t := p.parts[i+1].text
		after = strings.HasPrefix(t, "/") || strings.HasPrefix(t, ".")
	}
	return before && after
}

// comparePaths expands every path once into a table of hashes, and expands again where hashes meet.
func comparePaths(runs []Run, limit int) []Clash {
	files := 0
	for _, run := range runs {
		files += run.Frames.Count()
	}
	size := 1
	for size < 2*files {
		size *= 2
	}
	type slot struct {
		hash  uint64
		run   int32 // from 1; 0 is free
		frame int32
	}
	table := make([]slot, size)
	var clashes []Clash
	path, other := make([]byte, 0, 256), make([]byte, 0, 256)
	for i, run := range runs {
		for n := range run.Frames.All() {
			path = folded(run.Path.AppendFrame(path[:0], n))
			hash := xxhash.Sum64(path)
			at := int(hash) & (size - 1)
			for ; table[at].run != 0; at = (at + 1) & (size - 1) {
				if table[at].hash != hash {
					continue
				}
				first := runs[table[at].run-1]
				other = folded(first.Path.AppendFrame(other[:0], int(table[at].frame)))
				if string(other) == string(path) {
					a, b := first.Path.Frame(int(table[at].frame)), run.Path.Frame(n)
					if clashes = append(clashes, Clash{first.What, run.What, b, a != b}); len(clashes) >= limit {
						return clashes
					}
					break
				}
			}
			if table[at].run == 0 {
				table[at] = slot{hash, int32(i + 1), int32(n)}
			}
		}
	}
	return clashes
}

// folded makes letters lower case, in place where it can.
func folded(path []byte) []byte {
	for i, c := range path {
		if c >= 0x80 {
			return []byte(strings.ToLower(string(path)))
		}
		if 'A' <= c && c <= 'Z' {
			path[i] = c + 'a' - 'A'
		}
	}
	return path
}
