package cut

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// A node is a value of a JSON file that knows in which line it stands.
type node struct {
	line   int
	object map[string]node // of an object
	list   []node          // of an array
	value  any             // string, float64, bool or nil
	isList bool
}

// maxDepth is how deep a file may be nested.
const maxDepth = 200

// readJSON reads a whole JSON file. Its errors are *Mistake.
func readJSON(r io.Reader) (node, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return node{}, err
	}
	if len(data) > MaxBytes {
		return node{}, fmt.Errorf("the file is larger than %d MB", MaxBytes>>20)
	}
	p := &jsonReader{data: bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))}
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
	return n, err
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
