package output

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/naming"
	"reelhouse/core/plan"
)

// A namesPreview is what a pattern would make.
type namesPreview struct {
	Text               string
	Wrong              string // the pattern's fault, or ""
	Before, Bad, After string // the pattern, with the faulty character set apart
	Blocks             []naming.Block
	Completions        []string
	Start, End         int // bytes of the text that a completion replaces
	Tree               *naming.Folder
	Proof              naming.Proof
	Longest            string
	First, Last        string
	Problems           []string // what some system would not take
	Sequences          int
	Short              string // a pair of frame numbers of different lengths, "" for none
	Ready              bool   // there is a batch to show
}

// mostProblems is how many troubles of portability are listed.
const mostProblems = 8

// What of the paths is shown: folders and sequences of every folder, and collisions.
const (
	mostFolders = 40
	mostClashes = 20
)

// fieldsOf returns the fields of names, with a value for each key that shots have.
func fieldsOf(keys []string) []string {
	fields := naming.FieldNames()
	if len(keys) == 0 {
		return fields
	}
	i := slices.Index(fields, "value")
	fields = slices.Delete(fields, i, i+1)
	for k, key := range keys {
		fields = slices.Insert(fields, i+k, naming.ValueField(key))
	}
	return fields
}

// previewNames lists what a batch's files are called. caret is where a person types in the pattern, in bytes,
// or -1; keys are those of the shots' values.
func previewNames(text string, b plan.Batch, caret int, keys []string) namesPreview {
	n := namesPreview{Text: text, Blocks: naming.Blocks(text), Sequences: len(b.Sequences), Ready: len(b.Sequences) > 0}
	if caret >= 0 {
		n.Completions, n.Start, n.End = naming.Complete(text, caret, fieldsOf(keys))
	}
	runs := b.Runs()
	n.Tree, n.Proof = naming.Tree(runs).Compact(mostFolders), naming.Prove(runs, b.Standards.Names, mostClashes)
	for _, run := range runs {
		first, last := run.Path.Frame(run.Frames.First()), run.Path.Frame(run.Frames.Last())
		if n.First == "" {
			n.First = first
		}
		n.Last = last
		if len(last) > len(n.Longest) {
			n.Longest = last
		}
		if len(first) != len(last) && n.Short == "" {
			n.Short = fmt.Sprintf("%d and %d", run.Frames.First(), run.Frames.Last())
		}
		for _, problem := range naming.Portable(last) {
			if len(n.Problems) < mostProblems && !slices.Contains(n.Problems, problem) {
				n.Problems = append(n.Problems, problem)
			}
		}
	}
	return n
}

// names previews the paths that a pattern would make, before it is kept.
func (a *page) names(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	tried := p.Production
	tried.Names.Pattern = c.QueryParam("value")
	caret, err := strconv.Atoi(c.QueryParam("caret"))
	if err != nil {
		caret = -1
	}
	n := namesPreview{Text: tried.Names.Pattern, Blocks: naming.Blocks(tried.Names.Pattern)}
	if _, err := naming.Parse(tried.Names.Pattern); err != nil {
		n.Completions, n.Start, n.End = naming.Complete(n.Text, caret, fieldsOf(tried.ValueKeys()))
		n.wrong(err)
	} else if batch, err := plan.Build(tried, plan.Measure{}); err == nil {
		n = previewNames(tried.Names.Pattern, batch, caret, tried.ValueKeys())
	} else {
		n.Wrong = err.Error()
	}
	return c.Render(http.StatusOK, "output/names", n)
}

// wrong takes the pattern apart at a mistake.
func (n *namesPreview) wrong(err error) {
	n.Wrong = err.Error()
	var se *naming.SyntaxError
	if !errors.As(err, &se) || se.Offset > len(n.Text) {
		return
	}
	n.Before, n.Bad = n.Text[:se.Offset], "⎵" // the end
	if rest := []rune(n.Text[se.Offset:]); len(rest) > 0 {
		n.Bad, n.After = string(rest[:1]), string(rest[1:])
	}
}
