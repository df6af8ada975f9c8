package house

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/grade"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
)

// A NamedFile says what a kind of files holds, by the name of the first of them.
type NamedFile struct {
	Name   string
	Format output.Format
	Passes []pass.Code
}

// NamedFiles returns what the files of a sequence hold.
func NamedFiles(s plan.Sequence) []NamedFile {
	var all []NamedFile
	for _, f := range s.Files {
		_, name := naming.SplitVolume(f.Path.Frame(s.Frames.First()))
		all = append(all, NamedFile{name, f.Encoding.Format, f.Passes})
	}
	return all
}

// An Other is a small file for others.
type Other struct {
	Name string
	Data []byte
}

// ForOthers returns what goes along with the files of a sequence, for programs and people that know nothing of this
// house: a text that says what the layers of its files are, its light groups and gains as JSON, and the corrections of
// a grade.
func ForOthers(b plan.Batch, s plan.Sequence, files []NamedFile) ([]Other, error) {
	var text strings.Builder
	fmt.Fprintf(&text, "%s, %s, version %d, %s, %s\n\n", b.Title, s.Title(), b.VersionOf(s), s.Size, b.Rate)
	var passes []pass.Code
	for _, f := range files {
		fmt.Fprintf(&text, "%s: %s, %s\n", f.Name, f.Format.Kind().Name, strings.Join(codesText(f.Passes), ", "))
		passes = append(passes, f.Passes...)
	}
	slices.Sort(passes)
	passes = slices.Compact(passes)
	text.WriteString("\n" + pass.About(passes, b.LightGroups, b.DepthOf(s)))
	all := []Other{{"layers.txt", []byte(text.String())}}
	var g grade.Grade
	if f := s.FollowUp; f != nil && f.Grade != nil {
		g = f.Grade.Grade
		var list bytes.Buffer
		if err := grade.WriteFile(&list, grade.CCC, g.Corrections()); err != nil {
			return nil, err
		}
		all = append(all, Other{g.Code + ".ccc", list.Bytes()})
	}
	relit := slices.ContainsFunc(passes, func(code pass.Code) bool { _, is := code.LightGroup(); return is })
	if !relit && len(g.Lights) == 0 {
		return all, nil
	}
	var lights bytes.Buffer
	if err := grade.WriteLights(&lights, g, b.LightGroups); err != nil {
		return nil, err
	}
	return append(all, Other{"lights.json", lights.Bytes()}), nil
}

func codesText(codes []pass.Code) []string {
	var all []string
	for _, code := range codes {
		all = append(all, string(code))
	}
	return all
}
