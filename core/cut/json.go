package cut

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"reelhouse/core/plaintext"
)

// A node is a value of a JSON file that knows in which line it stands.
type node struct {
	line   int
	object map[string]node // of an object
	list   []node          // of an array
	value  any             // string, float64, bool or nil
	isList bool
	raw    []byte // as it stands in the file
}

// maxDepth is how deep a file may be nested, and maxValues how many values it may have, which take more memory than
// their text.
const (
	maxDepth  = 200
	maxValues = 5_000_000
)

// schemaField is what every thing of a timeline has. A large text without any is refused before it is taken apart.
const (
	schemaField = "OTIO_SCHEMA"
	largeText   = 1 << 20
)

// readJSON reads a whole JSON file of things with schemas. Its errors are *Mistake.
func readJSON(r io.Reader) (node, error) {
	text, err := plaintext.Read(r, MaxBytes)
	if err != nil {
		return node{}, err
	}
	if strings.HasPrefix(strings.TrimLeft(text.Lines, " \t\n"), "[") ||
		len(text.Lines) > largeText && !strings.Contains(text.Lines, schemaField) {
		return node{}, &Mistake{1, "the file holds a thing without a schema; a Timeline can be read"}
	}
	return parseJSON([]byte(text.Lines))
}

// parseJSON reads JSON. Its errors are *Mistake.
func parseJSON(data []byte) (node, error) {
	p := &jsonReader{data: data}
	p.decoder = json.NewDecoder(bytes.NewReader(p.data))
	n, err := p.node(0)
	if err == nil {
		if _, more := p.decoder.Token(); more != io.EOF {
			err = fmt.Errorf("something follows after the end")
		}
	}
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return node{}, &Mistake{bytes.Count(p.data, []byte("\n")) + 1, "the file ends too early"}
	} else if err != nil {
		return node{}, &Mistake{p.line(), err.Error()}
	}
	return n, nil
}

type jsonReader struct {
	data    []byte
	decoder *json.Decoder
	at      int // up to where lines are counted
	lines   int
	values  int
}

// line returns the line that the decoder has come to.
func (p *jsonReader) line() int {
	to := min(int(p.decoder.InputOffset()), len(p.data))
	p.lines += bytes.Count(p.data[p.at:to], []byte("\n"))
	p.at = to
	return p.lines + 1
}

func (p *jsonReader) node(depth int) (node, error) {
	if depth > maxDepth {
		return node{}, fmt.Errorf("nested more than %d deep", maxDepth)
	}
	if p.values++; p.values > maxValues {
		return node{}, fmt.Errorf("more than %d values", maxValues)
	}
	begin := int(p.decoder.InputOffset())
	token, err := p.decoder.Token()
	if err != nil {
		return node{}, err
	}
	n := node{line: p.line()}
	switch token {
	case json.Delim('{'):
		n.object = map[string]node{}
		for p.decoder.More() {
			key, err := p.decoder.Token()
			if err != nil {
				return n, err
			}
			value, err := p.node(depth + 1)
			if err != nil {
				return n, err
			}
			n.object[key.(string)] = value // keys are strings, or the decoder refuses them
		}
		_, err = p.decoder.Token()
	case json.Delim('['):
		n.isList = true
		for p.decoder.More() {
			value, err := p.node(depth + 1)
			if err != nil {
				return n, err
			}
			n.list = append(n.list, value)
		}
		_, err = p.decoder.Token()
	default:
		n.value = token
	}
	n.raw = bytes.TrimLeft(p.data[begin:p.decoder.InputOffset()], " \t\n:,")
	return n, err
}

// there reports whether a field says anything: it is there, and neither null nor without content.
func (n node) there(field string) bool {
	f, ok := n.object[field]
	return ok &&
		(len(f.object) > 0 || len(f.list) > 0 || f.object == nil && !f.isList && f.value != nil && f.value != "")
}

// compact returns the node as it stands in the file, without spaces between its parts.
func (n node) compact() []byte {
	var b bytes.Buffer
	if json.Compact(&b, n.raw) != nil {
		return nil // what was decoded is JSON
	}
	return b.Bytes()
}

func (n node) wrong(format string, args ...any) error {
	return &Mistake{n.line, fmt.Sprintf(format, args...)}
}

// text returns a field that is a string, "" if it is not there.
func (n node) text(field string) string {
	s, _ := n.object[field].value.(string)
	return s
}

// number returns a field that is a number.
func (n node) number(field string) (float64, error) {
	v, ok := n.object[field].value.(float64)
	if !ok {
		return 0, n.wrong("%s is missing, or no number", field)
	}
	return v, nil
}
