package kit

import (
	"slices"

	"reelhouse/core/look"
)

// An Option is a choice of a list: what is kept, and what people read.
type Option struct {
	Value, Text string
	// Title says that it is what the choice is called, and cannot be chosen.
	Title bool
}

// Options returns values as options, with what people read of each.
func Options[T ~string](values []T, text func(T) string) []Option {
	var all []Option
	for _, v := range values {
		all = append(all, Option{Value: string(v), Text: text(v)})
	}
	return all
}

// Codes returns codes as options, and what is chosen if it is none of them.
func Codes(codes []string, chosen string) []Option {
	var all []Option
	for _, code := range codes {
		all = append(all, Option{Value: code, Text: code})
	}
	if chosen != "" && !slices.Contains(codes, chosen) {
		all = append(all, Option{Value: chosen, Text: chosen + " (not here)"})
	}
	return all
}

// Backgrounds are the kinds of background.
func Backgrounds() []Option {
	return []Option{
		{Value: string(look.Surroundings), Text: "the look's environment"},
		{Value: string(look.PlainColour), Text: "a plain colour"},
		{Value: string(look.Transparent), Text: "transparent, with alpha"},
	}
}

// Choices returns codes as boxes that are ticked together, of which some are on.
func Choices(codes, on []string) []Choice {
	ticked := map[string]bool{}
	for _, code := range on {
		ticked[code] = true
	}
	var all []Choice
	for _, code := range codes {
		all = append(all, Choice{code, ticked[code]})
	}
	return all
}

// OneIf counts what holds.
func OneIf(b bool) int {
	if b {
		return 1
	}
	return 0
}
