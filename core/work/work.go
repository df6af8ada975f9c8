// Package work says what kinds of work a queue carries, what each needs, and whether a node can take it now.
//
// A task has a kind (render, assemble), and a kind has settings: what a node must have free for it, how many frames one
// process is given, how long it may take and how often it is tried. They come from the kind, then from the renderer
// that a sequence is rendered with, then from what a person says of a sequence. People write them as words:
//
//	cores=2 memory=4GB labels=big licences=lumen:1 chunk=8 timeout=2h tries=5
//
// A licence is something of which the house has so many; a label is a word that a node may have. Memory is in bytes,
// written with kB, MB, GB or TB (powers of 1000).
package work

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/dustin/go-humanize"
)

// A Kind is what sort of work a task is.
type Kind string

// The kinds that ship. Others are declared in the configuration.
const (
	Render   Kind = "render"   // a frame, or a tile of one
	Assemble Kind = "assemble" // put a frame together from its tiles
)

// Settings are what a task needs, and how it is run. The zero value asks for nothing in particular.
type Settings struct {
	Cores    int            // of the node that it has for itself; 0 for the node's cores over its slots
	Memory   int64          // bytes that it may take; 0 for any
	Labels   []string       // that the node must have, sorted
	Licences map[string]int // that it uses, by their names
	Chunk    int            // frames in one process; 0 for 1
	Timeout  time.Duration  // for one process; 0 for the server's
	Tries    int            // of a frame before it has failed; 0 for 3
}

// UsualTries is how often a frame is tried where nothing else is said.
const UsualTries = 3

// MostTries returns how often a frame is tried.
func (s Settings) MostTries() int { return cmp.Or(s.Tries, UsualTries) }

// FramesAtOnce returns how many frames one process is given.
func (s Settings) FramesAtOnce() int { return max(1, s.Chunk) }

// Bounds of what can be asked for.
const (
	mostCores   = 4096
	mostChunk   = 10_000
	mostTries   = 100
	mostWords   = 16 // labels, or licences
	mostTimeout = 30 * 24 * time.Hour
	longestWord = 40
)

// A setting is one of the words that people write.
type setting struct {
	name  string
	means string
	put   func(s *Settings, value string) error
	text  func(s Settings) string // "" for nothing
}

func number(name, means string, most int, of func(s *Settings) *int) setting {
	return setting{
		name, means,
		func(s *Settings, value string) error {
			n, err := strconv.Atoi(value)
			if err != nil || n < 1 || n > most {
				return fmt.Errorf("%s=%s: a whole number from 1 to %d is wanted", name, value, most)
			}
			*of(s) = n
			return nil
		},
		func(s Settings) string {
			if n := *of(&s); n > 0 {
				return strconv.Itoa(n)
			}
			return ""
		},
	}
}

// settings are all words, in the order in which they are written.
var settings = []setting{
	number("cores", "cores of the node that it has for itself", mostCores, func(s *Settings) *int { return &s.Cores }),
	{"memory", "memory that it may take, such as 4GB", func(s *Settings, value string) error {
		n, err := humanize.ParseBytes(value)
		if err != nil || n < 1<<20 || n > 1<<50 {
			return fmt.Errorf("memory=%s: write it as 500MB or 4GB", value)
		}
		s.Memory = int64(n)
		return nil
	}, func(s Settings) string { return bytesText(s.Memory) }},
	{"labels", "labels that the node must have, with commas between", func(s *Settings, value string) error {
		labels, err := words("labels", value)
		s.Labels = labels
		return err
	}, func(s Settings) string { return strings.Join(s.Labels, ",") }},
	{"licences", "licences that it uses, such as lumen or lumen:2, with commas between", putLicences, licencesText},
	number("chunk", "frames in one process", mostChunk, func(s *Settings) *int { return &s.Chunk }),
	{"timeout", "how long a process may take, such as 90m or 2h", func(s *Settings, value string) error {
		d, err := time.ParseDuration(value)
		if err != nil || d < time.Second || d > mostTimeout {
			return fmt.Errorf("timeout=%s: write it as 90s, 45m or 2h, at most 720h", value)
		}
		s.Timeout = d
		return nil
	}, func(s Settings) string { return durationText(s.Timeout) }},
	number("tries", "how often a frame is tried", mostTries, func(s *Settings) *int { return &s.Tries }),
}

func bytesText(n int64) string {
	if n == 0 {
		return ""
	}
	for _, unit := range []struct {
		name string
		size int64
	}{{"TB", 1e12}, {"GB", 1e9}, {"MB", 1e6}, {"kB", 1e3}} {
		if n%unit.size == 0 {
			return strconv.FormatInt(n/unit.size, 10) + unit.name
		}
	}
	return strconv.FormatInt(n, 10) + "B"
}

func durationText(d time.Duration) string {
	if d == 0 {
		return ""
	}
	text := d.String() // 2h0m0s
	if cut, found := strings.CutSuffix(text, "m0s"); found {
		text = cut + "m"
	}
	if cut, found := strings.CutSuffix(text, "h0m"); found {
		text = cut + "h"
	}
	return text
}

// words reads words with commas between, and sorts them; each is there once.
func words(name, value string) ([]string, error) {
	all := strings.Split(value, ",")
	for _, word := range all {
		if !plain(word) {
			return nil, fmt.Errorf("%s=%s: %q is no word of letters, digits, - and _", name, value, word)
		}
	}
	slices.Sort(all)
	if all = slices.Compact(all); len(all) > mostWords {
		return nil, fmt.Errorf("%s=%s: %d are possible", name, value, mostWords)
	}
	return all, nil
}

// plain reports whether a word may name a label, a licence, a kind or a node.
func plain(word string) bool {
	for _, r := range word {
		if !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' || r == '_' || r == '.') {
			return false
		}
	}
	return word != "" && len(word) <= longestWord
}

// CheckWord says what is wrong with the name of a label, a licence, a kind, a node or a renderer, or nil.
func CheckWord(what, word string) error {
	if plain(word) {
		return nil
	}
	return fmt.Errorf("%s %q: letters, digits, -, _ and . are possible, at most %d of them", what, word, longestWord)
}

// ParseLabels reads labels of a node, with commas between them: sorted, each once. No text is no labels.
func ParseLabels(text string) ([]string, error) {
	var all []string
	for word := range strings.SplitSeq(text, ",") {
		if word = strings.TrimSpace(word); word == "" {
			continue
		}
		if err := CheckWord("label", word); err != nil {
			return nil, err
		}
		all = append(all, word)
	}
	slices.Sort(all)
	if all = slices.Compact(all); len(all) > mostWords {
		return nil, fmt.Errorf("a node can have %d labels, and these are %d", mostWords, len(all))
	}
	return all, nil
}

func putLicences(s *Settings, value string) error {
	licences := map[string]int{}
	for _, word := range strings.Split(value, ",") {
		name, count, several := strings.Cut(word, ":")
		n := 1
		if several {
			var err error
			if n, err = strconv.Atoi(count); err != nil || n < 1 || n > 1000 {
				return fmt.Errorf("licences=%s: %q is no number of licences", value, count)
			}
		}
		if !plain(name) || licences[name] > 0 || len(licences) >= mostWords {
			return fmt.Errorf("licences=%s: write names as lumen, or lumen:2 for two of them, each once", value)
		}
		licences[name] = n
	}
	s.Licences = licences
	return nil
}

func licencesText(s Settings) string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(s.Licences)) {
		if n := s.Licences[name]; n == 1 {
			all = append(all, name)
		} else {
			all = append(all, fmt.Sprintf("%s:%d", name, n))
		}
	}
	return strings.Join(all, ",")
}

// String returns the settings as they are written.
func (s Settings) String() string {
	var all []string
	for _, word := range settings {
		if text := word.text(s); text != "" {
			all = append(all, word.name+"="+text)
		}
	}
	return strings.Join(all, " ")
}

// An Override is settings that replace others, one by one, as they are written: in the order of all settings, each
// once. Parse makes one; the zero value replaces nothing.
type Override string

// None, as the value of a setting, takes back what it would be otherwise: labels=none, licences=none.
const None = "none"

// ParseOverride reads settings as people write them, in any order.
func ParseOverride(text string) (Override, error) {
	given := map[string]string{}
	for _, word := range strings.Fields(text) {
		name, value, found := strings.Cut(word, "=")
		i := slices.IndexFunc(settings, func(s setting) bool { return s.name == name })
		switch {
		case i < 0 || !found:
			return "", fmt.Errorf("%q is no setting; there are %s", word, SettingNames())
		case given[name] != "":
			return "", fmt.Errorf("%s is there twice", name)
		case value == None:
			given[name] = None
			continue
		}
		var scratch Settings
		if err := settings[i].put(&scratch, value); err != nil {
			return "", err
		}
		given[name] = settings[i].text(scratch)
	}
	var all []string
	for _, s := range settings {
		if value := given[s.name]; value != "" {
			all = append(all, s.name+"="+value)
		}
	}
	return Override(strings.Join(all, " ")), nil
}

// SettingNames lists all settings, with what they mean.
func SettingNames() string {
	var all []string
	for _, s := range settings {
		all = append(all, s.name+"="+s.means)
	}
	return strings.Join(all, "; ")
}

// On returns settings with what the override replaces of them.
func (o Override) On(s Settings) Settings {
	for _, word := range strings.Fields(string(o)) {
		name, value, _ := strings.Cut(word, "=")
		i := slices.IndexFunc(settings, func(s setting) bool { return s.name == name })
		if i < 0 {
			continue
		}
		if value == None {
			s = without(s, name)
			continue
		}
		next := s
		if settings[i].put(&next, value) == nil {
			s = next
		}
	}
	return s
}

// without returns settings that ask for nothing by a name.
func without(s Settings, name string) Settings {
	switch name {
	case "cores":
		s.Cores = 0
	case "memory":
		s.Memory = 0
	case "labels":
		s.Labels = nil
	case "licences":
		s.Licences = nil
	case "chunk":
		s.Chunk = 0
	case "timeout":
		s.Timeout = 0
	case "tries":
		s.Tries = 0
	}
	return s
}

// And returns an override that replaces what o does, and what p does: where both replace the same, p counts.
func (o Override) And(p Override) Override {
	given := map[string]string{}
	for _, each := range []Override{o, p} {
		for _, word := range strings.Fields(string(each)) {
			name, value, _ := strings.Cut(word, "=")
			given[name] = value
		}
	}
	var all []string
	for _, s := range settings {
		if value := given[s.name]; value != "" {
			all = append(all, s.name+"="+value)
		}
	}
	return Override(strings.Join(all, " "))
}

// A Class is what tasks have in common that decides what they need.
type Class struct {
	Kind     Kind
	Renderer string   // that a sequence is rendered with, "" for the house's own
	Override Override // what a person says of it
}

// A Catalogue is what the configuration says of kinds, renderers and licences.
type Catalogue struct {
	Kinds     map[Kind]Settings
	Renderers map[string]Override // what each renderer needs, by its name
	Licences  map[string]int      // how many the house has, by their names
}

// Of returns the settings of a class of tasks, and without what a person says of it.
func (c Catalogue) Of(class Class) (now, usual Settings) {
	usual = c.Kinds[class.Kind]
	if class.Kind == Repeat { // which is rendering
		usual = c.Kinds[Render]
		usual.Chunk = 0
	}
	if class.Kind == Render || class.Kind == Repeat {
		usual = c.Renderers[class.Renderer].On(usual)
	}
	return class.Override.On(usual), usual
}

// A Use is what tasks that are under way take: of a node, and licences of the house.
type Use struct {
	Tasks    int
	Cores    int
	Memory   int64
	Licences map[string]int
}

// Add adds a task to what is in use.
func (u *Use) Add(s Settings) {
	u.Tasks++
	u.Cores += s.Cores
	u.Memory += s.Memory
	for name, n := range s.Licences {
		if u.Licences == nil {
			u.Licences = map[string]int{}
		}
		u.Licences[name] += n
	}
}

// A Node is what a machine offers.
type Node struct {
	Name   string
	Slots  int // tasks at a time
	Cores  int
	Memory int64 // bytes; 0 for not known, and not counted
	Labels []string
}

// Lacks says why a node can never take a task, "" if it can.
func (n Node) Lacks(s Settings) string {
	for _, label := range s.Labels {
		if !slices.Contains(n.Labels, label) {
			return fmt.Sprintf("node %s has no label %s", n.Name, label)
		}
	}
	switch {
	case s.Cores > n.Cores:
		return fmt.Sprintf("it needs %d cores, and node %s has %d", s.Cores, n.Name, n.Cores)
	case s.Memory > n.Memory && n.Memory > 0:
		return fmt.Sprintf("it needs %s of memory, and node %s has %s", humanize.Bytes(uint64(s.Memory)), n.Name,
			humanize.Bytes(uint64(n.Memory)))
	}
	return ""
}

// Waits says why a task cannot be taken by a node now, "" if it can: used is what is in use of the node, and licences
// what is of the house's.
func (c Catalogue) Waits(s Settings, n Node, used Use, licences map[string]int) string {
	if why := n.Lacks(s); why != "" {
		return why
	}
	if why := c.LacksLicence(s, licences); why != "" {
		return why
	}
	switch {
	case used.Tasks >= n.Slots:
		return fmt.Sprintf("all %d slots of node %s are taken", n.Slots, n.Name)
	case s.Cores > 0 && used.Cores+s.Cores > n.Cores:
		return fmt.Sprintf("it needs %d cores, and node %s has %d free", s.Cores, n.Name, max(0, n.Cores-used.Cores))
	case s.Memory > 0 && n.Memory > 0 && used.Memory+s.Memory > n.Memory:
		return fmt.Sprintf("it needs %s of memory, and node %s has %s free", humanize.Bytes(uint64(s.Memory)), n.Name,
			humanize.Bytes(uint64(max(0, n.Memory-used.Memory))))
	}
	return ""
}

// LacksLicence says which licence a task waits for, "" for none.
func (c Catalogue) LacksLicence(s Settings, used map[string]int) string {
	for _, name := range slices.Sorted(maps.Keys(s.Licences)) {
		switch n, all := s.Licences[name], c.Licences[name]; {
		case n > all:
			return fmt.Sprintf("it needs %d of licence %s, and the house has %d", n, name, all)
		case used[name]+n > all:
			return fmt.Sprintf("it waits for licence %s: %d of %d in use", name, used[name], all)
		}
	}
	return ""
}
