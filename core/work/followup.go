package work

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/fingerprint"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
)

// Repeat renders a good frame once more, and holds what comes out against what is there.
const Repeat Kind = "repeat"

// The follow-ups that ship.
const (
	Inspection Kind = "inspection"   // what is wrong with the frames of a sequence
	Checksums  Kind = "checksums"    // a list of the sums of all files of a sequence
	Values     Kind = "values"       // numbers of every channel of a frame
	Matte      Kind = plan.MatteWork // a matte of each frame, as a picture
	Grade      Kind = plan.GradeWork // a grade of each frame
)

// A Following is a kind of follow-up that a house knows, and the program that does it.
type Following struct {
	plan.FollowUp
	Program fingerprint.Renderer `json:"program"`
	Note    string               `json:"note,omitempty"` // what it makes, in a few words
}

// ShippedFollowUps returns the follow-ups that every house knows. version is that of this program's own code for them.
func ShippedFollowUps(version string) []Following {
	own := func(kind Kind, byFrame bool, extension, note string) Following {
		return Following{
			plan.FollowUp{Kind: string(kind), ByFrame: byFrame, Extensions: []string{extension}},
			fingerprint.Renderer{Name: "built-in", Version: version}, note,
		}
	}
	inspection := own(Inspection, false, "json", "what is wrong with its frames: black, repeated, fireflies, and more")
	inspection.Parameters = map[string]string{"loop": "no"}
	matte := own(Matte, true, "exr", "a matte of each frame as a picture, as exr or png")
	matte.Parameters = map[string]string{Named: "", Format: "exr"}
	grade := own(Grade, true, "exr", "each frame again, as a grade changes it")
	grade.Parameters = map[string]string{Named: ""}
	return []Following{
		inspection,
		own(Checksums, false, "sha256", "a list of the SHA-256 sums of its files"),
		own(Values, true, "json", "least, greatest and mean value of every channel"),
		matte, grade,
	}
}

// Parameters of mattes and grades: the code of the production's that is made, and in which format a matte is written.
const (
	Named  = "name"
	Format = "format"
)

// Bounds of what a follow-up may be.
const (
	mostExtensions = 16
	mostParameters = 64
	mostValue      = 1000 // bytes of a parameter
)

// CheckFollowUps says what is wrong with kinds of follow-ups, or nil: names that are not known, and kinds that follow
// each other in a circle, which are named.
func CheckFollowUps(all []Following) error {
	known := map[string]plan.FollowUp{}
	for _, f := range all {
		if err := checkFollowUp(f.FollowUp); err != nil {
			return fmt.Errorf("kind %s: %w", f.Kind, err)
		}
		if _, twice := known[f.Kind]; twice {
			return fmt.Errorf("kind %s is there twice", f.Kind)
		}
		known[f.Kind] = f.FollowUp
	}
	for _, f := range all {
		way := []string{f.Kind}
		for at := f.FollowUp; at.Follows != ""; {
			next, there := known[at.Follows]
			switch {
			case !there:
				return fmt.Errorf("kind %s follows %s, which is no kind of follow-up", at.Kind, at.Follows)
			case at.ByFrame && !next.ByFrame:
				return fmt.Errorf(
					"kind %s is done by frame, and follows %s, which is done by sequence",
					at.Kind,
					next.Kind,
				)
			case slices.Contains(way, next.Kind):
				return fmt.Errorf("kinds follow each other in a circle: %s",
					strings.Join(append(way[slices.Index(way, next.Kind):], next.Kind), " follows "))
			}
			way, at = append(way, next.Kind), next
		}
	}
	return nil
}

func checkFollowUp(f plan.FollowUp) error {
	if !queue.IsKindName(f.Kind) {
		return fmt.Errorf("its name is to be a letter, and then letters, digits, - and _")
	}
	if slices.Contains([]Kind{Render, Assemble, Repeat}, Kind(f.Kind)) {
		return fmt.Errorf("this kind of work is the house's own")
	}
	if len(f.Extensions) == 0 || len(f.Extensions) > mostExtensions {
		return fmt.Errorf("it makes no file; name the extensions of those that it makes, at most %d", mostExtensions)
	}
	for i, extension := range f.Extensions {
		if !plain(extension) || strings.Trim(extension, ".") != extension ||
			slices.Index(f.Extensions, extension) < i {
			return fmt.Errorf("extension %q is no word of letters and digits, or is there twice", extension)
		}
	}
	if len(f.Parameters) > mostParameters {
		return fmt.Errorf("%d parameters are possible", mostParameters)
	}
	for name, value := range f.Parameters {
		if !plain(name) || isReserved(name) || len(value) > mostValue {
			return fmt.Errorf(
				"parameter %q: a word of letters and digits is wanted, none of at, after and held, and a "+
					"value of at most %d bytes",
				name,
				mostValue,
			)
		}
	}
	return nil
}

// A Wish is a follow-up as it is wanted in a batch.
type Wish struct {
	plan.FollowUp
	After int64  // begins when nothing of that batch is left; 0 for none
	At    string // begins at a time, as it was written; "" for at once
	Held  bool   // begins when a person releases it
}

func isReserved(word string) bool { return word == "at" || word == "after" || word == "held" }

// ParseWish reads how a follow-up is wanted:
//
//	checksums
//	movie rate=24 after=12 at=22:00 held
//
// The first word is a kind; after=BATCH, at=TIME and held say what it waits for beside its inputs; others set
// parameters that the kind has.
func ParseWish(text string, all []Following) (w Wish, err error) {
	words := strings.Fields(text)
	if len(words) == 0 {
		return w, fmt.Errorf("name a kind of follow-up; there are %s", kindNames(all))
	}
	i := slices.IndexFunc(all, func(f Following) bool { return f.Kind == words[0] })
	if i < 0 {
		return w, fmt.Errorf("%q is no kind of follow-up; there are %s", words[0], kindNames(all))
	}
	w.FollowUp = all[i].FollowUp
	w.Parameters = maps.Clone(w.Parameters)
	given := map[string]bool{}
	for _, word := range words[1:] {
		name, value, valued := strings.Cut(word, "=")
		_, parameter := w.Parameters[name]
		switch {
		case given[name]:
			return w, fmt.Errorf("%s: %s is there twice", w.Kind, name)
		case word == "held":
			w.Held = true
		case name == "at" && value != "":
			w.At = value
		case name == "after" && valued:
			if w.After, err = strconv.ParseInt(value, 10, 64); err != nil || w.After < 1 {
				return w, fmt.Errorf("%s: after=%s: the number of a batch is wanted", w.Kind, value)
			}
		case parameter && valued && len(value) <= mostValue:
			w.Parameters[name] = value
		default:
			return w, fmt.Errorf(
				"%s: %q is nothing that it takes; there are after=BATCH, at=TIME, held%s",
				w.Kind,
				word,
				parameterNames(w.FollowUp),
			)
		}
		given[name] = true
	}
	return w, nil
}

func kindNames(all []Following) string {
	var names []string
	for _, f := range all {
		names = append(names, f.Kind)
	}
	return strings.Join(names, ", ")
}

func parameterNames(f plan.FollowUp) string {
	text := ""
	for _, name := range slices.Sorted(maps.Keys(f.Parameters)) {
		text += ", " + name + "="
	}
	return text
}

// InOrder sorts wishes so that each comes after the one that it follows, and says if one is missing, or there twice.
func InOrder(all []Wish) ([]Wish, error) {
	var sorted []Wish
	has := func(kind string) bool {
		return slices.ContainsFunc(sorted, func(w Wish) bool { return w.Kind == kind })
	}
	for i, w := range all {
		if slices.ContainsFunc(all[:i], func(v Wish) bool { return v.Kind == w.Kind }) {
			return nil, fmt.Errorf("follow-up %s is wanted twice", w.Kind)
		}
	}
	for len(sorted) < len(all) {
		before := len(sorted)
		for _, w := range all {
			if !has(w.Kind) && (w.Follows == "" || has(w.Follows)) {
				sorted = append(sorted, w)
			}
		}
		if len(sorted) > before {
			continue
		}
		for _, w := range all {
			if !has(w.Kind) {
				return nil, fmt.Errorf("%s follows %s, which is to be wanted, too", w.Kind, w.Follows)
			}
		}
	}
	return sorted, nil
}
