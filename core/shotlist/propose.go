package shotlist

import (
	"slices"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// Propose returns what the columns most likely hold: by their names and, of those whose names say nothing, by what is
// in them and what the production has. byContents tells which were found so; each kind is found once.
func (t Table) Propose(p production.Production) (columns []Column, byContents []bool) {
	columns = t.Guess()
	byContents = make([]bool, len(columns))
	taken := func(c Column) bool { return slices.Contains(columns, c) }
	take := func(i int, c Column) { columns[i], byContents[i] = c, true }
	cells := make([][]string, len(columns)) // that are not empty
	for i := range columns {
		for _, row := range t.Rows {
			if row[i] != "" {
				cells[i] = append(cells[i], row[i])
			}
		}
	}
	free := func(i int) bool { return columns[i] == Ignored && len(cells[i]) > 0 }
	for _, kind := range kinds(p) {
		for i := range columns {
			if !taken(kind.column) && free(i) && kind.fits(cells[i], len(t.Rows)) {
				take(i, kind.column)
			}
		}
	}
	if !taken(Frames) && !taken(First) && !taken(Last) {
		for i := range columns {
			for k := i + 1; k < len(columns) && !taken(First); k++ {
				if free(i) && free(k) && t.spans(i, k) {
					take(i, First)
					take(k, Last)
				}
			}
		}
	}
	for _, c := range []Column{Name, Note} { // whatever text is left
		for i := range columns {
			if !taken(c) && free(i) &&
				slices.ContainsFunc(cells[i], func(s string) bool { return strings.Contains(s, " ") }) {
				take(i, c)
			}
		}
	}
	return columns, byContents
}

// A kind is a column that is known by what is in it.
type kind struct {
	column Column
	fits   func(cells []string, rows int) bool
}

// kinds returns those that can be told apart, the surest first.
func kinds(p production.Production) []kind {
	all := func(fits func(string) bool) func([]string, int) bool {
		return func(cells []string, _ int) bool {
			return !slices.ContainsFunc(cells, func(s string) bool { return !fits(s) })
		}
	}
	listed := func(known func(string) bool) func([]string, int) bool {
		return all(func(cell string) bool {
			codes := parts(cell)
			return len(codes) > 0 && !slices.ContainsFunc(codes, func(code string) bool { return !known(code) })
		})
	}
	shot := among(p.Shots, func(s production.Shot) string { return s.Code })
	codes := all(naming.ValidCode)
	return []kind{
		{Code, func(cells []string, rows int) bool { // codes that are known
			known := 0
			for _, c := range cells {
				if shot(c) {
					known++
				}
			}
			return len(cells) == rows && 2*known > rows && distinct(cells)
		}},
		{View, listed(among(p.Views, func(v production.View) string { return v.Code }))},
		{Look, all(among(p.Looks, func(l look.Look) string { return l.Code }))},
		{Sizes, listed(among(p.Sizes, func(s raster.Named) string { return s.Code }))},
		{PassList, all(among(p.PassLists, func(l production.PassList) string { return l.Code }))},
		{Outputs, listed(among(p.Outputs, func(o output.Output) string { return o.Code }))},
		{Quality, all(among(p.Qualities, func(q production.Quality) string { return q.Code }))},
		{Labels, all(func(cell string) bool { _, err := ReadLabels(cell); return err == nil })},
		{Frames, all(func(cell string) bool {
			set, err := frame.Parse(cell)
			return err == nil && strings.ContainsAny(cell, "-,") && set.Count() > 1
		})},
		{InBatch, all(func(cell string) bool {
			_, err := yes(cell)
			return err == nil && cell != "1" && cell != "0" && cell != "-"
		})},
		{Code, func(cells []string, rows int) bool { // codes of new shots
			return len(cells) == rows && codes(cells, rows) && distinct(cells)
		}},
	}
}

// among reports whether a code is that of one of a list.
func among[T any](list []T, code func(T) string) func(string) bool {
	known := map[string]bool{}
	for _, v := range list {
		known[code(v)] = true
	}
	return func(code string) bool { return known[code] }
}

// distinct reports whether no cell stands twice.
func distinct(cells []string) bool {
	sorted := slices.Sorted(slices.Values(cells))
	return len(slices.Compact(sorted)) == len(cells)
}

// spans reports whether two columns hold first and last frames.
func (t Table) spans(first, last int) bool {
	longer := false
	for _, row := range t.Rows {
		a, errA := whole(row[first])
		b, errB := whole(row[last])
		if row[first] == "" || row[last] == "" || errA != nil || errB != nil || a > b {
			return false
		}
		longer = longer || a < b
	}
	return longer
}
