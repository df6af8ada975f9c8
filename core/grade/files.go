package grade

import (
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"reelhouse/core/pass"
	"slices"
	"strconv"
	"strings"
)

// A Correction is a CDL of a file, with what it is called there.
type Correction struct {
	ID          string
	Description string
	CDL         CDL
}

// A FileKind is one of the files that the ASC CDL 1.2 has.
type FileKind string

// The kinds of files, by their extensions.
const (
	CC       FileKind = "cc"  // one correction
	CCC      FileKind = "ccc" // a collection of them
	Decision FileKind = "cdl" // a list of decisions, each with a correction
)

// FileKinds returns all kinds, in the order in which they are offered.
func FileKinds() []FileKind { return []FileKind{CC, CCC, Decision} }

// Bounds of files that are read.
const (
	MostFileBytes   = 4 << 20
	mostCorrections = 10_000
	mostDepth       = 16
)

const namespace = "urn:ASC:CDL:v1.2"

// ReadFile reads the corrections of a .cc, .ccc or .cdl file, whichever it is: elements are known by their names,
// whatever the version of their namespace.
func ReadFile(r io.Reader) ([]Correction, error) {
	d := xml.NewDecoder(io.LimitReader(r, MostFileBytes))
	var all []Correction
	known := false
	for depth := 0; ; {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, fmt.Errorf("it is no list of corrections: %w", err)
		}
		switch t := token.(type) {
		case xml.StartElement:
			if depth++; depth > mostDepth {
				return nil, fmt.Errorf("its elements stand in one another more than %d deep", mostDepth)
			}
			switch t.Name.Local {
			case "ColorCorrection":
				c, err := readCorrection(d, t)
				if err != nil {
					line, _ := d.InputPos()
					return nil, fmt.Errorf("near line %d: %w", line, err)
				}
				if all = append(all, c); len(all) > mostCorrections {
					return nil, fmt.Errorf("it has more than %d corrections", mostCorrections)
				}
				depth--
			case "ColorCorrectionCollection", "ColorDecisionList":
				known = true
			}
		case xml.EndElement:
			depth--
		}
	}
	if len(all) == 0 {
		if known {
			return nil, errors.New("it has no correction")
		}
		return nil, errors.New("it is no list of corrections; .cc, .ccc and .cdl files are")
	}
	return all, nil
}

// A correctionXML is a correction as files have it.
type correctionXML struct {
	ID          string   `xml:"id,attr"`
	Description []string `xml:"Description"`
	SOP         *sopXML  `xml:"SOPNode"`
	OtherSOP    *sopXML  `xml:"ASC_SOP"`
	Sat         *satXML  `xml:"SatNode"`
	OtherSat    *satXML  `xml:"ASC_SAT"`
	UpperSat    *satXML  `xml:"SATNode"`
}

type sopXML struct {
	Description []string `xml:"Description"`
	Slope       *string  `xml:"Slope"`
	Offset      *string  `xml:"Offset"`
	Power       *string  `xml:"Power"`
}

type satXML struct {
	Saturation *string `xml:"Saturation"`
}

func readCorrection(d *xml.Decoder, start xml.StartElement) (c Correction, err error) {
	var read correctionXML
	if err := d.DecodeElement(&read, &start); err != nil {
		return c, err
	}
	c.ID, c.CDL = read.ID, Neutral()
	sop, sat := read.SOP, read.Sat
	if sop == nil {
		sop = read.OtherSOP
	}
	for _, other := range []*satXML{read.OtherSat, read.UpperSat} {
		if sat == nil {
			sat = other
		}
	}
	said := read.Description
	if sop != nil {
		said = append(said, sop.Description...)
		for _, part := range []struct {
			name string
			text *string
			to   *[3]float64
		}{
			{"slope", sop.Slope, &c.CDL.Slope}, {"offset", sop.Offset, &c.CDL.Offset},
			{"power", sop.Power, &c.CDL.Power},
		} {
			if part.text == nil {
				continue
			}
			words := strings.Fields(*part.text)
			if len(words) != 3 {
				return c, fmt.Errorf("the %s of %q has %d numbers, not 3", part.name, c.ID, len(words))
			}
			for i, word := range words {
				if part.to[i], err = strconv.ParseFloat(word, 64); err != nil {
					return c, fmt.Errorf("the %s of %q: %.40q is no number", part.name, c.ID, word)
				}
			}
		}
	}
	if sat != nil && sat.Saturation != nil {
		word := strings.TrimSpace(*sat.Saturation)
		if c.CDL.Saturation, err = strconv.ParseFloat(word, 64); err != nil {
			return c, fmt.Errorf("the saturation of %q: %.40q is no number", c.ID, word)
		}
	}
	said = slices.DeleteFunc(said, func(s string) bool { return strings.TrimSpace(s) == "" })
	for i := range said {
		said[i] = strings.TrimSpace(said[i])
	}
	c.Description = strings.Join(said, "; ")
	if err := c.CDL.Check(); err != nil {
		return c, fmt.Errorf("correction %q: %w", c.ID, err)
	}
	return c, nil
}

// writtenXML is a correction as it is written.
type writtenXML struct {
	XMLName xml.Name `xml:"ColorCorrection"`
	Space   string   `xml:"xmlns,attr,omitempty"`
	ID      string   `xml:"id,attr"`
	SOP     struct {
		Description string `xml:"Description,omitempty"`
		Slope       string `xml:"Slope"`
		Offset      string `xml:"Offset"`
		Power       string `xml:"Power"`
	} `xml:"SOPNode"`
	Saturation string `xml:"SatNode>Saturation"`
}

func written(c Correction) writtenXML {
	numbers := func(v [3]float64) string {
		var words []string
		for _, n := range v {
			words = append(words, strconv.FormatFloat(n, 'f', -1, 64))
		}
		return strings.Join(words, " ")
	}
	w := writtenXML{ID: c.ID, Saturation: strconv.FormatFloat(c.CDL.Saturation, 'f', -1, 64)}
	w.SOP.Description = c.Description
	w.SOP.Slope, w.SOP.Offset, w.SOP.Power = numbers(c.CDL.Slope), numbers(c.CDL.Offset), numbers(c.CDL.Power)
	return w
}

// WriteFile writes corrections as a file of a kind. A .cc file has one.
func WriteFile(w io.Writer, kind FileKind, all []Correction) error {
	var document any
	switch {
	case kind == CC && len(all) == 1:
		c := written(all[0])
		c.Space = namespace
		document = c
	case kind == CC:
		return fmt.Errorf("a .cc file has one correction, and there are %d; write a .ccc file", len(all))
	case kind == CCC:
		list := struct {
			XMLName xml.Name `xml:"ColorCorrectionCollection"`
			Space   string   `xml:"xmlns,attr"`
			All     []writtenXML
		}{Space: namespace}
		for _, c := range all {
			list.All = append(list.All, written(c))
		}
		document = list
	case kind == Decision:
		type decision struct {
			Correction writtenXML
		}
		list := struct {
			XMLName xml.Name   `xml:"ColorDecisionList"`
			Space   string     `xml:"xmlns,attr"`
			All     []decision `xml:"ColorDecision"`
		}{Space: namespace}
		for _, c := range all {
			list.All = append(list.All, decision{written(c)})
		}
		document = list
	default:
		return fmt.Errorf("corrections are written as %v", FileKinds())
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(document); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

// Corrections returns the steps that are done as corrections. A file knows no masks, no exposure and no space: these
// are said in the description.
func (g Grade) Corrections() []Correction {
	var all []Correction
	for i, s := range g.Steps {
		if s.Off {
			continue
		}
		c := Correction{ID: fmt.Sprintf("%s.%d", g.Code, i+1), CDL: s.CDL}
		said := []string{s.Name, "in " + s.Space.Name()}
		if s.Exposure != 0 {
			said = append(said, fmt.Sprintf("after an exposure of %+g stops", s.Exposure))
		}
		if s.Clamped {
			said = append(said, "clamped to 0 to 1")
		} else {
			said = append(said, "not clamped")
		}
		if m := s.Mask.String(); m != "" {
			said = append(said, "only "+m)
		}
		c.Description = strings.Join(slices.DeleteFunc(said, func(s string) bool { return s == "" }), ", ")
		all = append(all, c)
	}
	return all
}

// String says where the mask lets a step count, "" for everywhere.
func (m Mask) String() string {
	text := ""
	if m.Matte != "" {
		text = "in the matte " + m.Matte
	}
	if m.ByDepth() {
		if text != "" {
			text += " and "
		}
		text += fmt.Sprintf("from %g to %g m", m.Near, m.Far)
		if m.Soft > 0 {
			text += fmt.Sprintf(", fading over %g m", m.Soft)
		}
	}
	if m.Inverted && text != "" {
		text = "not " + text
	}
	return text
}

// WriteLights writes light groups, and what a grade multiplies them by, as JSON, with what is done with that, for other
// programs.
func WriteLights(w io.Writer, g Grade, groups []pass.LightGroup) error {
	type light struct {
		Gain
		RGB [3]float64 `json:"gain"` // of red, green and blue light
	}
	document := struct {
		Grade  string            `json:"grade,omitempty"`
		Groups []pass.LightGroup `json:"groups"`
		Use    string            `json:"use"`
		Lights []light           `json:"lights"`
	}{
		Grade: g.Name, Groups: groups,
		Use: "Multiply each pass of light by its gain, in linear light, and add all of them, those that are not " +
			"listed with a gain of 1.",
		Lights: []light{},
	}
	for _, l := range g.Lights {
		document.Lights = append(document.Lights, light{l, l.RGB()})
	}
	e := json.NewEncoder(w)
	e.SetIndent("", "  ")
	return e.Encode(document)
}
