package plaintext

import "strings"

// formulas begin what programs that show tables take for a formula, and work out.
const formulas = "=+-@\t\r"

// Guarded returns the cells of a table in which none is a formula: one that would be begins with an apostrophe, which
// such programs do not show.
func Guarded(cells []string) []string {
	for i, cell := range cells {
		if cell != "" && strings.ContainsRune(formulas, rune(cell[0])) {
			cells[i] = "'" + cell
		}
	}
	return cells
}

// Unguarded returns a cell without the apostrophe that keeps it from being a formula.
func Unguarded(cell string) string {
	if rest, found := strings.CutPrefix(cell, "'"); found && rest != "" &&
		strings.ContainsRune(formulas, rune(rest[0])) {
		return rest
	}
	return cell
}
