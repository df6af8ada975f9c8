package naming

import (
	"slices"
	"strconv"
	"strings"
)

// A Text is a line with fields in round brackets, written like a pattern, that may say anything: it names no
// file. The zero value is the empty line.
type Text struct{ parts []part }

// TextFields returns the fields of a Text: those of a pattern, and what else is known of a frame.
func TextFields() []string {
	return append(
		FieldNames()[:len(FieldNames())-1], "title", "shotname", "timecode", "seconds", "date", "lens", "rendertime",
		"note",
	)
}

// ParseText reads a line. Its errors are *SyntaxError.
func ParseText(source string) (Text, error) {
	parts, err := split(source, TextFields())
	if err != nil {
		return Text{}, err
	}
	return Text{parts}, nil
}

// Fill returns the line with value's answer for each field; frame and version are padded. Values stand as
// they are, without the rules for names.
func (t Text) Fill(frame, version int, value func(field string) string) string {
	var b strings.Builder
	for _, q := range t.parts {
		switch q.field {
		case "":
			b.WriteString(q.text)
		case "frame":
			b.WriteString(pad(frame, q.digits))
		case "version":
			b.WriteString(pad(version, q.digits))
		case "angle":
			n, _ := strconv.Atoi(value(q.field))
			b.WriteString(pad(n, q.digits))
		default:
			b.WriteString(value(q.field))
		}
	}
	return b.String()
}

// A Block is a part of a pattern as the editor shows it: a field with its option, or text.
type Block struct {
	Field  string // "" for text
	Source string // as it stands in the pattern, brackets included
	Offset int    // in bytes
}

// Blocks takes a pattern apart as far as it can be read; what follows a mistake is one block of text.
func Blocks(text string) []Block {
	var blocks []Block
	for at := 0; at < len(text); {
		end := strings.IndexByte(text[at:], '(')
		if end != 0 {
			if end < 0 {
				end = len(text) - at
			}
			blocks = append(blocks, Block{Source: text[at : at+end], Offset: at})
			at += end
			continue
		}
		if end = strings.IndexByte(text[at:], ')'); end < 0 {
			return append(blocks, Block{Source: text[at:], Offset: at})
		}
		field, _, _ := strings.Cut(text[at+1:at+end], ":")
		if !slices.Contains(FieldNames(), field) {
			field = ""
		}
		blocks = append(blocks, Block{field, text[at : at+end+1], at})
		at += end + 1
	}
	return blocks
}

// Complete returns what may stand in place of the field that is being typed at a byte of the text, with its
// brackets and usual option; nothing if no field is open there. start and end are the bytes to replace.
func Complete(text string, at int, fields []string) (found []string, start, end int) {
	at = min(max(0, at), len(text))
	start = strings.LastIndexByte(text[:at], '(')
	if start < 0 || strings.ContainsAny(text[start:at], "):/") {
		return nil, at, at
	}
	end = at
	if text[at:] != "" {
		rest := strings.IndexAny(text[at:], "()/")
		switch {
		case rest >= 0 && text[at+rest] == ')':
			end = at + rest + 1
		default:
			end = at
		}
	}
	for _, f := range fields {
		if strings.HasPrefix(f, text[start+1:at]) {
			found = append(found, Field(f))
		}
	}
	return found, start, end
}

// Field returns a field as it is usually written: (shot), (frame:4), (version:3).
func Field(name string) string {
	switch name {
	case "frame":
		return "(frame:4)"
	case "version":
		return "(version:3)"
	case "angle":
		return "(angle:3)"
	case "value":
		return "(value:title)"
	}
	return "(" + name + ")"
}
