// Package usd reads layers of OpenUSD in their text form (.usda): prims with their types, names and children, and of
// their attributes those that are asked for, with their time samples. Nothing is composed: what stands in other files
// and in variants is told, and not read.
//
// The form is that of the OpenUSD project's documentation of the text file format, version 1.0.
package usd

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/plaintext"
)

// Limits of a file.
const (
	MaxBytes = 256 << 20
	maxDepth = 200
	maxPrims = 1_000_000
)

// Signature begins every file.
const Signature = "#usda"

// A Layer is what one file holds.
type Layer struct {
	Fields map[string]any // its metadata
	Prims  []*Prim
	// Elsewhere is what the file refers to and does not hold: other files, and variants. Each stands once.
	Elsewhere []string
}

// A Prim is a thing of the scene.
type Prim struct {
	Kind, Type, Name string         // "def", "Camera", "quay"
	Fields           map[string]any // its metadata, as far as they are plain values
	Attributes       map[string]Attribute
	Children         []*Prim
}

// An Attribute is a value, or one at each of several times. Numbers are float64, text, tokens and paths are string,
// tuples and lists are []any.
type Attribute struct {
	Value   any
	Samples []Sample // in the order of their times
}

// A Sample is the value of an attribute at a time code.
type Sample struct {
	Time  float64
	Value any
}

// Read reads a layer, with the attributes that are wanted by their names. Errors name the line.
func Read(r io.Reader, wanted func(name string) bool) (*Layer, error) {
	text, err := plaintext.Read(r, MaxBytes)
	if errors.Is(err, plaintext.ErrNoText) {
		err = fmt.Errorf("%w; USD is read in its text form, which begins with %s", err, Signature)
	}
	if err != nil {
		return nil, err
	}
	return parse(text.Lines, wanted)
}

func parse(text string, wanted func(name string) bool) (layer *Layer, err error) {
	if !strings.HasPrefix(text, Signature) {
		return nil, fmt.Errorf("USD text begins with %s", Signature)
	}
	p := &parser{text: text, wanted: wanted, layer: &Layer{Fields: map[string]any{}}}
	defer func() {
		if r := recover(); r != nil {
			fault, ok := r.(syntaxError)
			if !ok {
				panic(r)
			}
			layer, err = nil, fmt.Errorf(
				"line %d: %s",
				1+strings.Count(text[:min(p.begin, len(text))], "\n"),
				string(fault),
			)
		}
	}()
	p.next()
	if p.token == "(" {
		p.layer.Fields = p.metadata()
	}
	for p.token != "" {
		p.layer.Prims = p.thing(nil, p.layer.Prims, 0)
	}
	return p.layer, nil
}

// A syntaxError ends parsing.
type syntaxError string

// A parser goes through the text token by token. A token that is text keeps its first quotation mark.
type parser struct {
	text   string
	at     int // behind the token
	begin  int // of the token
	token  string
	wanted func(string) bool
	layer  *Layer
	prims  int
}

func (p *parser) fail(format string, args ...any) { panic(syntaxError(fmt.Sprintf(format, args...))) }

// punctuation stands for itself.
const punctuation = "(){}[]=,;:"

// next goes to the next token; at the end of the text it is "".
func (p *parser) next() {
	for p.at < len(p.text) {
		switch c := p.text[p.at]; {
		case c == ' ' || c == '\t' || c == '\n':
			p.at++
		case c == '#' || strings.HasPrefix(p.text[p.at:], "//"):
			end := strings.IndexByte(p.text[p.at:], '\n')
			if end < 0 {
				end = len(p.text) - p.at
			}
			p.at += end
		case strings.HasPrefix(p.text[p.at:], "/*"):
			end := strings.Index(p.text[p.at:], "*/")
			if end < 0 {
				p.fail("a comment does not end")
			}
			p.at += end + 2
		default:
			p.begin = p.at
			p.read(c)
			return
		}
	}
	p.begin, p.token = p.at, ""
}

// read reads the token that begins with a letter.
func (p *parser) read(c byte) {
	switch {
	case c == '"' || c == '\'':
		p.quoted(c)
	case c == '@':
		marks := "@"
		if strings.HasPrefix(p.text[p.at:], "@@@") {
			marks = "@@@"
		}
		p.until(len(marks), marks, '@')
	case c == '<':
		p.until(1, ">", '<')
	case strings.IndexByte(punctuation, c) >= 0:
		p.at++
		p.token = p.text[p.begin:p.at]
	default:
		for p.at < len(p.text) && !strings.ContainsRune(" \t\n"+punctuation+"\"'@<#", rune(p.text[p.at])) {
			p.at++
		}
		// Names have colons within: xformOp:translate.
		for p.at+1 < len(p.text) && p.text[p.at] == ':' && isName(p.text[p.begin]) && isName(p.text[p.at+1]) {
			p.at++
			for p.at < len(p.text) && (isName(p.text[p.at]) || p.text[p.at] >= '0' && p.text[p.at] <= '9' ||
				p.text[p.at] == '.') {
				p.at++
			}
		}
		if p.at == p.begin {
			p.fail("%q cannot be read", p.text[p.at:p.at+1])
		}
		p.token = p.text[p.begin:p.at]
	}
}

func isName(c byte) bool { return c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

// until reads a token up to marks behind it.
func (p *parser) until(skip int, marks string, kind byte) {
	end := strings.Index(p.text[p.at+skip:], marks)
	if end < 0 {
		p.fail("%s is missing", marks)
	}
	p.token = string(kind) + p.text[p.at+skip:p.at+skip+end]
	p.at += skip + end + len(marks)
}

// quoted reads text, which may go over lines between three marks.
func (p *parser) quoted(mark byte) {
	marks := string(mark)
	if triple := strings.Repeat(marks, 3); strings.HasPrefix(p.text[p.at:], triple) {
		marks = triple
	}
	var b strings.Builder
	b.WriteByte('"')
	for at := p.at + len(marks); at < len(p.text); at++ {
		switch {
		case strings.HasPrefix(p.text[at:], marks):
			p.token, p.at = b.String(), at+len(marks)
			return
		case p.text[at] == '\\' && at+1 < len(p.text):
			at++
			switch p.text[at] {
			case 'n':
				b.WriteByte('\n')
			case 't':
				b.WriteByte('\t')
			default:
				b.WriteByte(p.text[at])
			}
		case p.text[at] == '\n' && len(marks) == 1:
			p.fail("text does not end in its line")
		default:
			b.WriteByte(p.text[at])
		}
	}
	p.fail("text does not end")
}

// take goes over a token that has to stand there.
func (p *parser) take(token string) {
	if p.token != token {
		p.fail("%q stands where %q has to", p.token, token)
	}
	p.next()
}

// thing reads a prim, or something of one: an attribute, a relation, a set of variants, an order.
func (p *parser) thing(of *Prim, siblings []*Prim, depth int) []*Prim {
	if depth > maxDepth {
		p.fail("prims within prims, more than %d deep", maxDepth)
	}
	switch p.token {
	case "def", "over", "class":
		return append(siblings, p.prim(depth))
	case "variantSet":
		p.next()
		p.elsewhere("variants of " + strings.TrimPrefix(p.token, `"`))
		p.next()
		p.take("=")
		p.take("{")
		for p.token != "}" {
			p.next() // the variant's name
			if p.token == "(" {
				p.metadata()
			}
			p.take("{")
			inside := &Prim{Attributes: map[string]Attribute{}}
			var children []*Prim
			for p.token != "}" {
				children = p.thing(inside, children, depth+1)
			}
			p.take("}")
		}
		p.take("}")
	case "reorder":
		p.next()
		p.next()
		p.take("=")
		p.skip(0)
	case ";":
		p.next()
	case "":
		p.fail("the file ends too early")
	default:
		if of == nil {
			p.fail("%q stands where a prim has to", p.token)
		}
		p.property(of)
	}
	return siblings
}

// prim reads: def Type "name" (metadata) { ... }.
func (p *parser) prim(depth int) *Prim {
	if p.prims++; p.prims > maxPrims {
		p.fail("more than %d prims", maxPrims)
	}
	prim := &Prim{Kind: p.token, Attributes: map[string]Attribute{}}
	p.next()
	if !strings.HasPrefix(p.token, `"`) {
		prim.Type = p.token
		p.next()
	}
	if !strings.HasPrefix(p.token, `"`) {
		p.fail("%q stands where the name of a prim has to", p.token)
	}
	prim.Name = p.token[1:]
	p.next()
	if p.token == "(" {
		prim.Fields = p.metadata()
	}
	p.take("{")
	for p.token != "}" {
		prim.Children = p.thing(prim, prim.Children, depth+1)
	}
	p.take("}")
	return prim
}

// listOps stand before relations and lists of metadata that change a list.
var listOps = []string{"prepend", "append", "add", "delete", "reorder"}

// property reads an attribute or a relation.
func (p *parser) property(of *Prim) {
	relation := false
	var words []string
	for p.token != "=" && p.token != "" && p.token != "}" && p.token != "(" {
		if p.token == "[" { // of a type of lists
			p.next()
			p.take("]")
			continue
		}
		relation = relation || p.token == "rel"
		words = append(words, p.token)
		before := p.at
		p.next()
		if len(words) >= 2 && strings.Contains(p.text[before:p.begin], "\n") && p.token != "=" && p.token != "(" {
			break // declared without a value
		}
	}
	if len(words) < 2 {
		p.fail("%q is neither a prim nor an attribute", strings.Join(words, " "))
	}
	name := words[len(words)-1]
	base, aspect, _ := strings.Cut(name, ".")
	if p.token == "=" {
		p.next()
		a := of.Attributes[base]
		switch {
		case relation || aspect == "connect" || !p.wanted(base):
			p.skip(0)
		case aspect == "timeSamples":
			a.Samples = p.samples()
			of.Attributes[base] = a
		default:
			a.Value = p.value(0)
			of.Attributes[base] = a
		}
	}
	if p.token == "(" {
		p.metadata()
	}
}

// samples reads { time: value, ... }.
func (p *parser) samples() []Sample {
	var all []Sample
	p.take("{")
	for p.token != "}" {
		time, err := strconv.ParseFloat(p.token, 64)
		if err != nil || time-time != 0 {
			p.fail("%q is no time", p.token)
		}
		p.next()
		p.take(":")
		all = append(all, Sample{time, p.value(0)})
		if p.token == "," {
			p.next()
		}
	}
	p.take("}")
	slices.SortStableFunc(all, func(a, b Sample) int {
		switch {
		case a.Time < b.Time:
			return -1
		case a.Time > b.Time:
			return 1
		}
		return 0
	})
	return all
}

// closing are what ends a list.
var closing = map[string]string{"(": ")", "[": "]"}

// value reads a number, text, a tuple or a list; a dictionary is skipped.
func (p *parser) value(depth int) any {
	if depth > maxDepth {
		p.fail("values within values, more than %d deep", maxDepth)
	}
	token := p.token
	switch {
	case token == "(" || token == "[":
		p.next()
		list := []any{}
		for p.token != closing[token] {
			list = append(list, p.value(depth+1))
			if p.token == "," {
				p.next()
			} else if p.token != closing[token] {
				p.fail("%q stands where %q has to", p.token, closing[token])
			}
		}
		p.next()
		return list
	case token == "{":
		p.skip(depth)
		return nil
	case token == "" || strings.Contains(punctuation, token):
		p.fail("%q stands where a value has to", token)
	}
	p.next()
	if strings.ContainsAny(token[:1], `"@<`) {
		if token[0] == '@' && p.token != "" && strings.HasPrefix(p.token, "<") {
			p.next() // a path within that file
		}
		return token[1:]
	}
	if v, err := strconv.ParseFloat(token, 64); err == nil {
		return v
	}
	return token
}

// skip goes over a value of any kind.
func (p *parser) skip(depth int) {
	open := 0
	for {
		switch p.token {
		case "":
			p.fail("the file ends within a value")
		case "(", "[", "{":
			open++
		case ")", "]", "}":
			if open--; open < 0 {
				p.fail("%q stands where a value has to", p.token)
			}
		}
		file := strings.HasPrefix(p.token, "@")
		p.next()
		if open == 0 {
			if file && strings.HasPrefix(p.token, "<") {
				p.next()
			}
			return
		}
	}
}

// metadata reads ( name = value ... ), and keeps what is plain.
func (p *parser) metadata() map[string]any {
	fields := map[string]any{}
	p.take("(")
	for p.token != ")" {
		if strings.HasPrefix(p.token, `"`) || p.token == ";" { // a comment as text
			p.next()
			continue
		}
		if slices.Contains(listOps, p.token) {
			p.next()
		}
		name := p.token
		if name == "" || strings.Contains(punctuation, name) {
			p.fail("%q stands where the name of metadata has to", name)
		}
		p.next()
		p.take("=")
		begin := p.begin
		switch name {
		case "references", "payload", "subLayers", "inherits", "specializes":
			p.skip(0)
			if value := p.text[begin:p.begin]; strings.Contains(value, "@") {
				p.elsewhere(other(value))
			} else {
				p.elsewhere(name + " " + strings.TrimSpace(value))
			}
			if p.token == "(" { // of its times
				p.skip(0)
			}
		default:
			if p.token == "{" || p.token == "[" || p.token == "(" {
				p.skip(0)
			} else {
				fields[name] = p.value(0)
			}
		}
	}
	p.take(")")
	return fields
}

// other returns the name of the first file in a value.
func other(value string) string {
	_, rest, _ := strings.Cut(value, "@")
	rest = strings.TrimLeft(rest, "@")
	name, _, _ := strings.Cut(rest, "@")
	return name
}

// elsewhere keeps what is not in the file, once.
func (p *parser) elsewhere(what string) {
	const most = 20
	if what != "" && len(p.layer.Elsewhere) < most && !slices.Contains(p.layer.Elsewhere, what) {
		p.layer.Elsewhere = append(p.layer.Elsewhere, what)
	}
}
