package lut

import (
	"encoding/xml"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/pixel"
)

// A node is an element of a file, with all that is in it.
type node struct {
	XMLName xml.Name
	Attrs   []xml.Attr `xml:",any,attr"`
	Text    string     `xml:",chardata"`
	Nodes   []node     `xml:",any"`
}

func (n *node) name() string { return n.XMLName.Local }

func (n *node) attr(name string) string {
	for _, a := range n.Attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (n *node) child(name string) *node {
	i := slices.IndexFunc(n.Nodes, func(c node) bool { return c.name() == name })
	if i < 0 {
		return nil
	}
	return &n.Nodes[i]
}

// number reads an attribute; what is not there is as otherwise says.
func (n *node) number(name string, otherwise float64) (float64, error) {
	text := n.attr(name)
	if text == "" {
		return otherwise, nil
	}
	v, err := number(strings.TrimSpace(text))
	if err != nil {
		return 0, fmt.Errorf("%s %s: %w", n.name(), name, err)
	}
	return v, nil
}

// reads are the process nodes that are read, by their names.
var reads = map[string]func(n *node, in, out float64) (step, error){
	"Matrix": readMatrix, "LUT1D": readLine, "LUT3D": readCube, "Range": readRange, "Log": readLog,
	"Exponent": readExponent, "ASC_CDL": readDecision,
}

// depths are what 1 is called in a bit depth.
var depths = map[string]float64{"8i": 255, "10i": 1023, "12i": 4095, "16i": 65535, "16f": 1, "32f": 1}

// parseCLF reads a file of the Common LUT Format.
func parseCLF(data []byte) (*Transform, error) {
	var root node
	if err := xml.Unmarshal(data, &root); err != nil {
		return nil, fmt.Errorf("it cannot be read: %w", err)
	}
	if root.name() != "ProcessList" {
		return nil, fmt.Errorf("it is no Common LUT Format: its root is %s, not ProcessList", root.name())
	}
	version := root.attr("compCLFversion")
	if major, _, _ := strings.Cut(version, "."); major != "1" && major != "2" && major != "3" {
		return nil, fmt.Errorf("it says version %q (compCLFversion); versions 1 to 3 are read", version)
	}
	t := &Transform{Title: root.attr("name")}
	for i := range root.Nodes {
		n := &root.Nodes[i]
		switch n.name() {
		case "Description", "InputDescriptor", "OutputDescriptor", "Info":
			continue
		}
		read := reads[n.name()]
		if read == nil {
			return nil, fmt.Errorf("%s is no process node of the Common LUT Format that is read", n.name())
		}
		if n.attr("bypass") != "" {
			return nil, fmt.Errorf("%s: bypass is not read", n.name())
		}
		in, known := depths[n.attr("inBitDepth")]
		out, both := depths[n.attr("outBitDepth")]
		if !known || !both {
			return nil, fmt.Errorf("%s: inBitDepth %q and outBitDepth %q; both are one of 8i, 10i, 12i, 16i, 16f, 32f",
				n.name(), n.attr("inBitDepth"), n.attr("outBitDepth"))
		}
		if len(t.steps) == mostSteps {
			return nil, fmt.Errorf("it has more than %d process nodes", mostSteps)
		}
		s, err := read(n, in, out)
		if err != nil {
			return nil, fmt.Errorf("%s, process node %d: %w", n.name(), len(t.steps)+1, err)
		}
		t.steps = append(t.steps, s)
	}
	if len(t.steps) == 0 {
		return nil, fmt.Errorf("it holds no process node")
	}
	return t, nil
}

// mostNumbers is how many the largest table has.
const mostNumbers = 3 * mostEdge * mostEdge * mostEdge

// array reads the numbers of an Array node, and its dimensions.
func (n *node) array(dimensions int) (dim []int, values []float64, err error) {
	a := n.child("Array")
	if a == nil {
		return nil, nil, fmt.Errorf("its Array is missing")
	}
	want := 1
	for _, word := range strings.Fields(a.attr("dim")) {
		d, err := strconv.Atoi(word)
		if err != nil || d < 1 || d > mostLine || want > mostNumbers {
			return nil, nil, fmt.Errorf("the dim %q of its Array is none", shortened(a.attr("dim")))
		}
		if dim = append(dim, d); len(dim) <= dimensions {
			want *= d
		}
	}
	if len(dim) < dimensions || want > mostNumbers {
		return nil, nil, fmt.Errorf("the dim %q of its Array is none", shortened(a.attr("dim")))
	}
	for word := range strings.FieldsSeq(a.Text) {
		if len(values) == want {
			return nil, nil, fmt.Errorf("more than %d numbers", want)
		}
		v, err := strconv.ParseFloat(word, 32)
		if err != nil || math.IsNaN(v) && n.attr("halfDomain") == "" {
			return nil, nil, fmt.Errorf("%q is no number", shortened(word))
		}
		values = append(values, v)
	}
	if len(values) != want {
		return nil, nil, fmt.Errorf("%d numbers, not %d as dim says", len(values), want)
	}
	return dim, values, nil
}

func readMatrix(n *node, in, out float64) (step, error) {
	dim, values, err := n.array(2)
	if err != nil {
		return nil, err
	}
	if dim[0] != 3 || dim[1] != 3 && dim[1] != 4 {
		return nil, fmt.Errorf("a matrix has 3 rows of 3 or 4 numbers, not %d of %d", dim[0], dim[1])
	}
	m := &matrix{}
	for row := range 3 {
		for col := range 3 {
			m.Matrix[row][col] = values[row*dim[1]+col] * in / out
		}
		if dim[1] == 4 {
			m.offset[row] = values[row*4+3] / out
		}
	}
	return m, nil
}

func readLine(n *node, _, out float64) (step, error) {
	if n.child("IndexMap") != nil {
		return nil, fmt.Errorf("an IndexMap is not read")
	}
	if i := n.attr("interpolation"); i != "" && i != "linear" {
		return nil, fmt.Errorf("interpolation %q is not read, only linear", i)
	}
	dim, values, err := n.array(2)
	if err != nil {
		return nil, err
	}
	channels := dim[1]
	if channels != 1 && channels != 3 || dim[0] < 2 {
		return nil, fmt.Errorf(
			"the dim of its Array is %d %d; a table has 2 entries and more, of 1 or 3 numbers",
			dim[0],
			channels,
		)
	}
	l := &line{top: [3]float64{1, 1, 1}, half: n.attr("halfDomain") == "true"}
	if l.half && dim[0] != 1<<16 {
		return nil, fmt.Errorf("with halfDomain it has 65536 entries, not %d", dim[0])
	}
	raw := n.attr("rawHalfs") == "true"
	for k := range 3 {
		l.entries[k] = make([]float32, dim[0])
		for i := range l.entries[k] {
			v := values[i*channels+min(k, channels-1)] / out
			if raw {
				if v*out < 0 || v*out > math.MaxUint16 {
					return nil, fmt.Errorf("%g is no half float", v*out)
				}
				v = float64(pixel.FromHalf(uint16(v * out)))
			}
			if math.IsNaN(v) || math.IsInf(v, 0) {
				v = 0 // what no number stands for
			}
			l.entries[k][i] = float32(v)
		}
	}
	return l, nil
}

func readCube(n *node, _, out float64) (step, error) {
	if n.child("IndexMap") != nil {
		return nil, fmt.Errorf("an IndexMap is not read")
	}
	c := &cube{top: [3]float64{1, 1, 1}}
	switch n.attr("interpolation") {
	case "", "trilinear":
		c.trilinear = true
	case "tetrahedral":
	default:
		return nil, fmt.Errorf("interpolation %q is not read, only trilinear and tetrahedral", n.attr("interpolation"))
	}
	dim, values, err := n.array(4)
	if err != nil {
		return nil, err
	}
	c.edge = dim[0]
	if dim[1] != c.edge || dim[2] != c.edge || dim[3] != 3 || c.edge < 2 || c.edge > mostEdge {
		return nil, fmt.Errorf("the dim of its Array is %v; a table has the same edge thrice, 2 to %d, of 3 numbers",
			dim, mostEdge)
	}
	c.entries = make([][3]float32, len(values)/3)
	for i, v := range values {
		c.entries[i/3][i%3] = float32(v / out)
	}
	return c, nil
}

// inner reads the number in an element, and whether it is there.
func (n *node) inner(name string) (v float64, there bool, err error) {
	c := n.child(name)
	if c == nil {
		return 0, false, nil
	}
	if v, err = number(strings.TrimSpace(c.Text)); err != nil {
		return 0, false, fmt.Errorf("%s: %w", name, err)
	}
	return v, true, nil
}

func readRange(n *node, in, out float64) (step, error) {
	var v [4]float64
	var there [4]bool
	var err error
	for i, name := range []string{"minInValue", "maxInValue", "minOutValue", "maxOutValue"} {
		if v[i], there[i], err = n.inner(name); err != nil {
			return nil, err
		}
		if v[i] /= in; i >= 2 {
			v[i] *= in / out
		}
	}
	if there[0] != there[2] || there[1] != there[3] || !there[0] && !there[1] {
		return nil, fmt.Errorf("its values for in and out come in pairs, and at least one")
	}
	s := &span{scale: 1, least: math.Inf(-1), top: math.Inf(1)}
	switch {
	case there[0] && there[1]:
		if !(v[0] < v[1]) || v[2] > v[3] {
			return nil, fmt.Errorf("a least value is not below the greatest")
		}
		s.scale = (v[3] - v[2]) / (v[1] - v[0])
		s.offset = v[2] - s.scale*v[0]
	case there[0]:
		s.offset = v[2] - v[0]
	default:
		s.offset = v[3] - v[1]
	}
	switch n.attr("style") {
	case "", "Clamp", "clamp":
		if there[0] {
			s.least = v[2]
		}
		if there[1] {
			s.top = v[3]
		}
	case "noClamp":
		if !there[0] || !there[1] {
			return nil, fmt.Errorf("without clamping it needs all four values")
		}
	default:
		return nil, fmt.Errorf("there is no style %q", n.attr("style"))
	}
	return s, nil
}

// perChannel calls work with the element that is about each channel: the one that names it, or one that names none.
func (n *node) perChannel(name string, work func(k int, params *node) error) error {
	for k, channel := range []string{"R", "G", "B"} {
		var found *node
		for i := range n.Nodes {
			if c := &n.Nodes[i]; c.name() == name &&
				(c.attr("channel") == channel || c.attr("channel") == "" && found == nil) {
				found = c
			}
		}
		if err := work(k, found); err != nil {
			return err
		}
	}
	return nil
}

func readLog(n *node, _, _ float64) (step, error) {
	style := n.attr("style")
	s := &curves{name: "a logarithm"}
	plain := map[string]struct {
		base float64
		back bool
	}{"log10": {10, false}, "antiLog10": {10, true}, "log2": {2, false}, "antiLog2": {2, true}}
	if p, ok := plain[style]; ok {
		l := &logarithm{base: p.base, logSlope: 1, linSlope: 1}
		if err := l.prepare(nil); err != nil {
			return nil, err
		}
		f := l.toLog
		if p.back {
			f = l.toLin
		}
		s.each = [3]func(float64) float64{f, f, f}
		return s, nil
	}
	camera := style == "cameraLinToLog" || style == "cameraLogToLin"
	if !camera && style != "linToLog" && style != "logToLin" {
		return nil, fmt.Errorf("there is no style %q", style)
	}
	err := n.perChannel("LogParams", func(k int, params *node) error {
		if params == nil {
			params = &node{}
		}
		l := &logarithm{hasBreak: camera}
		for _, p := range []struct {
			name      string
			otherwise float64
			into      *float64
		}{
			{"base", 2, &l.base}, {"logSideSlope", 1, &l.logSlope}, {"logSideOffset", 0, &l.logOffset},
			{"linSideSlope", 1, &l.linSlope}, {"linSideOffset", 0, &l.linOffset}, {"linSideBreak", 0, &l.linBreak},
		} {
			v, err := params.number(p.name, p.otherwise)
			if err != nil {
				return err
			}
			*p.into = v
		}
		if camera && params.attr("linSideBreak") == "" {
			return fmt.Errorf("its linSideBreak is missing")
		}
		var slope *float64
		if params.attr("linearSlope") != "" {
			v, err := params.number("linearSlope", 0)
			if err != nil {
				return err
			}
			slope = &v
		}
		if err := l.prepare(slope); err != nil {
			return err
		}
		if s.each[k] = l.toLog; strings.HasSuffix(style, "ogToLin") {
			s.each[k] = l.toLin
		}
		return nil
	})
	return s, err
}

func readExponent(n *node, _, _ float64) (step, error) {
	style := n.attr("style")
	base := strings.Replace(strings.Replace(style, "Mirror", "", 1), "PassThru", "", 1)
	of := exponents[base]
	if of == nil {
		return nil, fmt.Errorf("there is no style %q", style)
	}
	s := &curves{name: "an exponent"}
	err := n.perChannel("ExponentParams", func(k int, params *node) error {
		if params == nil {
			return fmt.Errorf("its ExponentParams are missing")
		}
		g, err := params.number("exponent", math.NaN())
		if err != nil {
			return err
		}
		offset, err := params.number("offset", 0)
		if err != nil {
			return err
		}
		if strings.HasPrefix(base, "monCurve") {
			if !(g > 1 && g <= 10) || !(offset > 0 && offset <= 0.9) {
				return fmt.Errorf("an exponent of %g with an offset of %g makes no such curve", g, offset)
			}
		} else if !(g >= 0.01 && g <= 100) {
			return fmt.Errorf("an exponent of %g is outside 0.01 to 100", g)
		}
		f := of(g, offset)
		switch {
		case strings.Contains(style, "Mirror"):
			f = mirrored(f)
		case strings.Contains(style, "PassThru"):
			f = passed(f)
		}
		s.each[k] = f
		return nil
	})
	return s, err
}

func readDecision(n *node, _, _ float64) (step, error) {
	d := &decision{slope: [3]float64{1, 1, 1}, power: [3]float64{1, 1, 1}, saturation: 1}
	switch style := n.attr("style"); style {
	case "", "Fwd", "v1.2_Fwd":
		d.clamp = true
	case "Rev", "v1.2_Rev":
		d.clamp, d.reverse = true, true
	case "FwdNoClamp", "noClampFwd":
	case "RevNoClamp", "noClampRev":
		d.reverse = true
	default:
		return nil, fmt.Errorf("there is no style %q", style)
	}
	if sop := n.child("SOPNode"); sop != nil {
		for name, into := range map[string]*[3]float64{"Slope": &d.slope, "Offset": &d.offset, "Power": &d.power} {
			c := sop.child(name)
			if c == nil {
				return nil, fmt.Errorf("%s is missing", name)
			}
			if err := threeNumbers(c.Text, into); err != nil {
				return nil, fmt.Errorf("%s: %w", name, err)
			}
		}
	}
	if sat := n.child("SatNode"); sat != nil {
		v, there, err := sat.inner("Saturation")
		if err != nil || !there {
			return nil, fmt.Errorf("its Saturation is missing or no number")
		}
		d.saturation = v
	}
	for k := range 3 {
		if d.slope[k] < 0 || !(d.power[k] > 0) || d.saturation < 0 ||
			d.reverse && (d.slope[k] == 0 || d.saturation == 0) {
			return nil, fmt.Errorf("a slope, a power or a saturation that cannot be")
		}
	}
	return d, nil
}
