package lut

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
)

// parseCube reads a file of the Cube LUT Specification 1.0: one table, of one dimension or of three, red fastest.
func parseCube(data []byte) (*Transform, error) {
	c := cubeFile{top: [3]float64{1, 1, 1}}
	number := 0
	for text := range bytes.Lines(data) {
		number++
		if err := c.line(strings.TrimSpace(string(text))); err != nil {
			return nil, fmt.Errorf("line %d: %w", number, err)
		}
	}
	t, err := c.transform()
	if err != nil {
		return nil, err
	}
	return t, nil
}

// A cubeFile is a file as far as it was read.
type cubeFile struct {
	title      string
	edge       int // of a table of three dimensions, or the length of one
	cubic      bool
	least, top [3]float64
	entries    [][3]float32
}

func (c *cubeFile) want() int {
	if c.cubic {
		return c.edge * c.edge * c.edge
	}
	return c.edge
}

func (c *cubeFile) line(text string) error {
	word, rest, _ := strings.Cut(strings.ReplaceAll(text, "\t", " "), " ")
	rest = strings.TrimSpace(rest)
	if word == "" || word[0] == '#' {
		return nil
	}
	if word[0] >= 'A' && word[0] <= 'Z' && len(c.entries) > 0 {
		return fmt.Errorf("%s stands behind entries of the table", word)
	}
	switch word {
	case "TITLE":
		c.title = strings.Trim(rest, `"`)
		return nil
	case "LUT_1D_SIZE", "LUT_3D_SIZE":
		if c.edge > 0 {
			return fmt.Errorf("a second table; a file holds one")
		}
		most := mostLine
		if c.cubic = word == "LUT_3D_SIZE"; c.cubic {
			most = mostEdge
		}
		n, err := strconv.Atoi(rest)
		if err != nil || n < 2 || n > most {
			return fmt.Errorf("%s %s is outside 2 to %d", word, rest, most)
		}
		c.edge = n
		return nil
	case "DOMAIN_MIN":
		return threeNumbers(rest, &c.least)
	case "DOMAIN_MAX":
		return threeNumbers(rest, &c.top)
	}
	var v [3]float64
	if err := threeNumbers(text, &v); err != nil {
		if word[0] >= 'A' && word[0] <= 'Z' {
			return fmt.Errorf("%s is no word of the Cube LUT Specification 1.0", word)
		}
		return err
	}
	if c.edge == 0 {
		return fmt.Errorf("entries come before LUT_1D_SIZE or LUT_3D_SIZE; is this a .cube or .clf file?")
	}
	if len(c.entries) == c.want() {
		return fmt.Errorf("more than the %d entries that it says", c.want())
	}
	c.entries = append(c.entries, [3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
	return nil
}

// threeNumbers reads three numbers, and nothing else.
func threeNumbers(text string, into *[3]float64) error {
	words := strings.Fields(text)
	if len(words) != 3 {
		return fmt.Errorf("%q are not three numbers", shortened(text))
	}
	for k, word := range words {
		v, err := number(word)
		if err != nil {
			return err
		}
		into[k] = v
	}
	return nil
}

// number reads a number that is one, and no larger than a float of 32 bits.
func number(word string) (float64, error) {
	v, err := strconv.ParseFloat(word, 32)
	if err != nil || v-v != 0 {
		return 0, fmt.Errorf("%q is no number", shortened(word))
	}
	return v, nil
}

func shortened(text string) string {
	if r := []rune(text); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return text
}

func (c *cubeFile) transform() (*Transform, error) {
	if c.edge == 0 {
		return nil, fmt.Errorf("it says no LUT_1D_SIZE and no LUT_3D_SIZE; is this a .cube or .clf file?")
	}
	if len(c.entries) != c.want() {
		return nil, fmt.Errorf("it ends after %d of %d entries", len(c.entries), c.want())
	}
	for k := range 3 {
		if !(c.least[k] < c.top[k]) {
			return nil, fmt.Errorf("DOMAIN_MIN is not below DOMAIN_MAX")
		}
	}
	t := &Transform{Title: c.title}
	if !c.cubic {
		l := &line{least: c.least, top: c.top}
		for k := range 3 {
			for _, e := range c.entries {
				l.entries[k] = append(l.entries[k], e[k])
			}
		}
		t.steps = []step{l}
		return t, nil
	}
	n := c.edge
	table := &cube{edge: n, least: c.least, top: c.top, entries: make([][3]float32, len(c.entries))}
	for i, e := range c.entries {
		r, g, b := i%n, i/n%n, i/n/n
		table.entries[(r*n+g)*n+b] = e
	}
	t.steps = []step{table}
	return t, nil
}
