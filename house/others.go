package house

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strings"

	"reelhouse/core/grade"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
)

// ForOthers returns what goes along with the files of a sequence, for programs and people that know nothing of this
// house: a text that says what its layers are, its light groups and gains as JSON, and the corrections of a grade.
func ForOthers(b plan.Batch, s plan.Sequence) ([]Entry, error) {
	var text strings.Builder
	fmt.Fprintf(&text, "%s, %s, version %d, %s, %s\n\n", b.Title, s.Title(), b.VersionOf(s), s.Size, b.Rate)
	for _, f := range s.Files {
		fmt.Fprintf(&text, "%s: %s, %s\n", f.Path.Frame(s.Frames.First()), f.Encoding.Format.Kind().Name,
			strings.Join(codesText(f.Passes), ", "))
	}
	text.WriteString("\n" + pass.About(s.Passes, b.LightGroups, b.DepthOf(s)))
	all := []Entry{entryOf("layers.txt", []byte(text.String()))}
	var g grade.Grade
	if f := s.FollowUp; f != nil && f.Grade != nil {
		g = f.Grade.Grade
		var list bytes.Buffer
		if err := grade.WriteFile(&list, grade.CCC, g.Corrections()); err != nil {
			return nil, err
		}
		all = append(all, entryOf(g.Code+".ccc", list.Bytes()))
	}
	relit := slices.ContainsFunc(s.Passes, func(code pass.Code) bool { _, is := code.LightGroup(); return is })
	if !relit && len(g.Lights) == 0 {
		return all, nil
	}
	var lights bytes.Buffer
	if err := grade.WriteLights(&lights, g, b.LightGroups); err != nil {
		return nil, err
	}
	return append(all, entryOf("lights.json", lights.Bytes())), nil
}

func codesText(codes []pass.Code) []string {
	var all []string
	for _, code := range codes {
		all = append(all, string(code))
	}
	return all
}

// entryOf returns an entry of bytes that are there.
func entryOf(name string, data []byte) Entry {
	return Entry{Name: name, Bytes: int64(len(data)), Open: func() (io.ReadCloser, error) {
		return io.NopCloser(bytes.NewReader(data)), nil
	}}
}
