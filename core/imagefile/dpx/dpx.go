// Package dpx reads and writes DPX files (SMPTE ST 268-1): RGB of 10 bits, each pixel in one word of 32 (packing method
// A). Read are 8, 10, 12 and 16 bits of luma, RGB, RGBA and ABGR, packed or filled by method A or B, in any
// orientation.
//
// Codes of 10 and 12 bits stand in planes of 16 bits, the upper ones again behind the lower ones, so that white is
// white; they come back as they were.
package dpx

import (
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

// Signatures begin every file, by the order of its bytes.
var Signatures = []string{"SDPX", "XPDS"}

// Fields by their offsets (ST 268-1, tables of the headers), and sizes of texts.
const (
	fieldOffset      = 4
	fieldVersion     = 8
	fieldFileSize    = 16
	fieldDitto       = 20
	fieldGeneric     = 24
	fieldIndustry    = 28
	fieldUser        = 32 // bytes of user-defined data
	fieldFileName    = 36
	fieldCreated     = 136
	fieldCreator     = 160
	fieldProject     = 260
	fieldCopyright   = 460
	fieldKey         = 660
	fieldOrientation = 768
	fieldElements    = 770
	fieldWidth       = 772
	fieldHeight      = 776
	fieldElement     = 780 // the first of eight
	fieldAspect      = 1628
	fieldFrame       = 1712
	fieldFilmRate    = 1724
	fieldShutter     = 1728
	fieldFrameName   = 1732
	fieldTimeCode    = 1920
	fieldUserBits    = 1924
	fieldRate        = 1940
	fieldGamma       = 1948
	headerBytes      = 2048
	genericBytes     = 1664
	industryBytes    = 384
	userBytes        = 32 // of the name of user-defined data
	userName         = "attributes"
)

// Fields of an image element, from its beginning.
const (
	elementSign       = 0
	elementHighCode   = 12
	elementDescriptor = 20
	elementTransfer   = 21
	elementColours    = 22
	elementBits       = 23
	elementPacking    = 24
	elementEncoding   = 26
	elementOffset     = 28
	elementPadding    = 32
)

// Values of fields.
const (
	descriptorLuma   = 6
	descriptorRGB    = 50
	descriptorRGBA   = 51
	descriptorABGR   = 52
	transferUser     = 0
	transferLinear   = 2
	transferBT709    = 6
	colorimetryBT709 = 6
	packed           = 0
	packedA          = 1
	packedB          = 2
	undefined        = math.MaxUint32
	maxEdge          = 1 << 20
)

// texts are the attributes that have a field.
var texts = []struct {
	name     string
	at, room int
}{{"title", fieldProject, 200}, {"owner", fieldCopyright, 200}, {"software", fieldCreator, 100},
	{"fileName", fieldFileName, 100}}

// NewWriter writes a file when it is closed. Channels are RGB of 16 bits, of which the upper 10 are stored. Of the
// attributes title, owner, software, fileName, capDate, timeCode, framesPerSecond, frame and shutterAngle have fields
// of the headers; all stand in the user-defined data, line by line.
func NewWriter(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
	err := h.CheckSize(maxEdge)
	if err == nil {
		err = h.CheckChannels([]imagefile.Type{imagefile.Uint16}, "RGB")
	}
	if n := headerBytes + 4*int64(h.Width())*int64(h.Height()); err == nil && n >= undefined {
		err = fmt.Errorf("%d bytes are more than a file can hold", n)
	}
	if err != nil {
		return nil, fmt.Errorf("dpx: %w", err)
	}
	return imagefile.Gather(h, func(p imagefile.Part) error { return encode(out, p) }), nil
}

func encode(out io.Writer, p imagefile.Part) error {
	be := binary.BigEndian
	size := p.Width() * p.Height()
	text := p.Attributes.Lines()
	pixels := headerBytes + (userBytes+len(text)+3)&^3
	data := make([]byte, pixels+4*size)
	header(data[:headerBytes], p.Header, len(data), pixels)
	copy(data[headerBytes:], userName)
	copy(data[headerBytes+userBytes:], text)
	r, g, b := p.Planes[0], p.Planes[1], p.Planes[2]
	ten := func(plane []byte, i int) uint32 { return uint32(narrow(binary.LittleEndian.Uint16(plane[2*i:]))) }
	for i := range size {
		be.PutUint32(data[pixels+4*i:], ten(r, i)<<22|ten(g, i)<<12|ten(b, i)<<2)
	}
	_, err := out.Write(data)
	return err
}

// narrow rounds a code of 16 bits to 10.
func narrow(v uint16) uint16 { return uint16((uint32(v)*1023 + 32767) / 65535) }

// header fills in the headers of a file of size bytes whose pixels begin at an offset. Fields that are not known have
// all bits set.
func header(data []byte, h imagefile.Header, size, pixels int) {
	be := binary.BigEndian
	for i := fieldOrientation; i < len(data); i++ {
		data[i] = 0xff
	}
	copy(data, Signatures[0])
	be.PutUint32(data[fieldOffset:], uint32(pixels))
	copy(data[fieldVersion:], "V2.0")
	for at, v := range map[int]int{fieldFileSize: size, fieldDitto: 1, fieldGeneric: genericBytes,
		fieldIndustry: industryBytes, fieldUser: pixels - headerBytes, fieldWidth: h.Width(), fieldHeight: h.Height()} {
		be.PutUint32(data[at:], uint32(v))
	}
	be.PutUint32(data[fieldKey:], undefined)
	be.PutUint16(data[fieldOrientation:], 0)
	be.PutUint16(data[fieldElements:], 1)
	for _, t := range texts {
		copy(data[t.at:t.at+t.room-1], h.Attributes.Text(t.name))
	}
	copy(data[fieldCreated:], strings.Replace(h.Attributes.Text("capDate"), " ", ":", 1))
	e := data[fieldElement:]
	be.PutUint32(e[elementSign:], 0)
	be.PutUint32(e[elementHighCode:], 1023)
	e[elementDescriptor] = descriptorRGB
	e[elementTransfer], e[elementColours] = transferUser, colorimetryBT709
	switch h.Curve {
	case pixel.BT1886:
		e[elementTransfer] = transferBT709
	case pixel.Linear:
		e[elementTransfer] = transferLinear
	}
	e[elementBits] = 10
	be.PutUint16(e[elementPacking:], packedA)
	be.PutUint16(e[elementEncoding:], 0)
	be.PutUint32(e[elementOffset:], uint32(pixels))
	be.PutUint32(e[elementPadding:], 0)
	clear(data[fieldElement+72*8 : genericBytes]) // reserved fields and texts
	clear(data[genericBytes:fieldFrame])
	clear(data[fieldFrameName:fieldTimeCode])
	for i := fieldElement + 40; i < fieldElement+72; i++ {
		data[i] = 0 // the element's description
	}
	const parts = 1000
	be.PutUint32(data[fieldAspect:], uint32(math.Round(h.Aspect()*parts)))
	be.PutUint32(data[fieldAspect+4:], parts)
	float := func(at int, v float64) { be.PutUint32(data[at:], math.Float32bits(float32(v))) }
	if h.Curve != "" {
		float(fieldGamma, h.Curve.Gamma())
	}
	if rate, ok := h.Attributes.Get("framesPerSecond").(imagefile.Rational); ok && rate.Denominator > 0 {
		v := float64(rate.Numerator) / float64(rate.Denominator)
		float(fieldRate, v)
		float(fieldFilmRate, v)
	}
	if t, ok := h.Attributes.Get("timeCode").(imagefile.TimeCode); ok {
		be.PutUint32(data[fieldTimeCode:], t.Time)
		be.PutUint32(data[fieldUserBits:], t.User)
	}
	if frame, ok := h.Attributes.Get("frame").(int32); ok && frame >= 0 {
		be.PutUint32(data[fieldFrame:], uint32(frame))
	}
	if angle, ok := h.Attributes.Get("shutterAngle").(float32); ok {
		float(fieldShutter, float64(angle))
	}
}

// NewReader reads a whole file of size bytes; limit bounds its own size and that of its planes.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("dpx: %w", err)
	}
	p, err := decode(data, limit)
	if err != nil {
		return nil, fmt.Errorf("dpx: %w", err)
	}
	return imagefile.Whole(p), nil
}

func decode(data []byte, limit int64) (p imagefile.Part, err error) {
	if len(data) < headerBytes {
		return p, fmt.Errorf("cut short in its headers")
	}
	var order binary.ByteOrder = binary.BigEndian
	switch string(data[:4]) {
	case Signatures[0]:
	case Signatures[1]:
		order = binary.LittleEndian
	default:
		return p, fmt.Errorf("it does not begin as such a file does")
	}
	l, err := layoutOf(data, order)
	if err != nil {
		return p, err
	}
	width, height := order.Uint32(data[fieldWidth:]), order.Uint32(data[fieldHeight:])
	if width < 1 || height < 1 || width > maxEdge || height > maxEdge {
		return p, fmt.Errorf("%d × %d pixels cannot be read", width, height)
	}
	kind := imagefile.Uint16
	if l.bits == 8 {
		kind = imagefile.Uint8
	}
	p.Header = imagefile.Plain(int(width), int(height), kind, l.channels...)
	if l.bits%8 != 0 {
		p.CodeBits = l.bits
	}
	readFields(&p.Header, data, order)
	if err := p.Within(limit); err != nil {
		return p, err
	}
	if err := l.pixels(&p, data); err != nil {
		return p, err
	}
	p.Orient(orientations[order.Uint16(data[fieldOrientation:])])
	return p, nil
}

// orientations are those of ST 268-1 as TIFF counts them; see imagefile.Part.Orient.
var orientations = [8]int{1, 2, 4, 3, 5, 6, 8, 7}

// descriptors are image elements that are not read, which are told by name.
var descriptors = map[byte]string{
	0: "of its own kind", 1: "red alone", 2: "green alone", 3: "blue alone", 4: "alpha alone",
	7: "colour differences alone",
	8: "depth", 9: "composite video", 100: "YCbCr 4:2:2", 101: "YCbCr 4:2:2 with alpha", 102: "YCbCr 4:4:4",
	103: "YCbCr 4:4:4 with alpha",
}

// A layout is how the values of a file stand.
type layout struct {
	order    binary.ByteOrder
	bits     int
	packing  uint16
	channels []string
	from     []int // place in a pixel of each channel
}

func layoutOf(data []byte, order binary.ByteOrder) (layout, error) {
	e := data[fieldElement:]
	l := layout{order: order, bits: int(e[elementBits]), packing: order.Uint16(e[elementPacking:])}
	switch e[elementDescriptor] {
	case descriptorLuma:
		l.channels, l.from = []string{"Y"}, []int{0}
	case descriptorRGB:
		l.channels, l.from = []string{"R", "G", "B"}, []int{0, 1, 2}
	case descriptorRGBA:
		l.channels, l.from = []string{"R", "G", "B", "A"}, []int{0, 1, 2, 3}
	case descriptorABGR:
		l.channels, l.from = []string{"R", "G", "B", "A"}, []int{3, 2, 1, 0}
	default:
		name, known := descriptors[e[elementDescriptor]]
		if !known {
			name = fmt.Sprintf("of kind %d", e[elementDescriptor])
		}
		return l, fmt.Errorf("its image element is %s; luma, RGB, RGBA and ABGR are read", name)
	}
	switch {
	case order.Uint16(data[fieldElements:]) > 1 && order.Uint16(data[fieldElements:]) <= 8:
		return l, fmt.Errorf("it has %d image elements; files of one are read", order.Uint16(data[fieldElements:]))
	case order.Uint16(data[fieldOrientation:]) >= uint16(len(orientations)):
		return l, fmt.Errorf("its orientation is %d; 0 to 7 are read", order.Uint16(data[fieldOrientation:]))
	case l.bits != 8 && l.bits != 10 && l.bits != 12 && l.bits != 16:
		return l, fmt.Errorf("its values have %d bits; 8, 10, 12 and 16 are read", l.bits)
	case l.packing > packedB && (l.bits == 10 || l.bits == 12):
		return l, fmt.Errorf("its packing is %d; packed values and methods A and B are read", l.packing)
	case order.Uint16(e[elementEncoding:]) != 0:
		return l, fmt.Errorf("it is run-length coded; plain values are read")
	}
	return l, nil
}

// line returns the bytes of a line of so many values, which ends at a word of 32 bits.
func (l layout) line(values int) int {
	switch {
	case l.bits == 10 && l.packing != packed:
		return (values + 2) / 3 * 4
	case l.bits == 12 && l.packing != packed:
		return (2*values + 3) &^ 3
	}
	return (values*l.bits + 31) / 32 * 4
}

// pixels reads lines.
func (l layout) pixels(p *imagefile.Part, data []byte) error {
	e, order := data[fieldElement:], l.order
	values := p.Width() * len(l.channels)
	line := l.line(values)
	if padding := order.Uint32(e[elementPadding:]); padding != undefined && padding < 1<<20 {
		line += int(padding)
	}
	at := int64(order.Uint32(e[elementOffset:]))
	if at == undefined || at == 0 {
		at = int64(order.Uint32(data[fieldOffset:]))
	}
	if plain := int64(l.bits / 8 * values); l.bits%8 == 0 && int64(len(data))-at == plain*int64(p.Height()) {
		line = int(plain) // some writers leave the fill at the ends of lines out
	}
	if at < 0 || at > int64(len(data)) || int64(line)*int64(p.Height()) > int64(len(data))-at {
		return fmt.Errorf(
			"cut short: %d bytes of pixels instead of %d", max(0, int64(len(data))-at), int64(line)*int64(p.Height()),
		)
	}
	p.Planes = p.Header.Planes(p.Height())
	for y := range p.Height() {
		row := data[at+int64(y)*int64(line):][:line]
		for x := range p.Width() {
			i := y*p.Width() + x
			for k, plane := range p.Planes {
				v := l.value(row, x*len(l.channels)+l.from[k])
				if l.bits == 8 {
					plane[i] = byte(v)
				} else {
					binary.LittleEndian.PutUint16(plane[2*i:], v)
				}
			}
		}
	}
	return nil
}

// value returns the i-th value of a line, widened to 16 bits if it has more than 8.
func (l layout) value(row []byte, i int) uint16 {
	switch {
	case l.bits == 8:
		return uint16(row[i])
	case l.bits == 16:
		return l.order.Uint16(row[2*i:])
	case l.packing == packed: // from the lowest bit of each word on, over the ends of words
		bit := i * l.bits
		word := uint64(l.order.Uint32(row[bit/32*4:]))
		if bit%32+l.bits > 32 {
			word |= uint64(l.order.Uint32(row[bit/32*4+4:])) << 32
		}
		return l.widen(uint16(word >> (bit % 32) & (1<<l.bits - 1)))
	case l.bits == 12: // in 16 bits, the lowest of which are empty by method A, and the highest by B
		v := l.order.Uint16(row[2*i:])
		if l.packing == packedA {
			v >>= 4
		}
		return l.widen(v & 0xfff)
	}
	// Three in a word, the first one highest; two bits are empty, below by method A and above by B.
	shift := 10 * (2 - i%3)
	if l.packing == packedA {
		shift += 2
	}
	return l.widen(uint16(l.order.Uint32(row[i/3*4:]) >> shift & 1023))
}

// widen puts the upper bits of a value again behind its lower ones.
func (l layout) widen(v uint16) uint16 { return v<<(16-l.bits) | v>>(2*l.bits-16) }

// readFields reads what the headers say beside the pixels.
func readFields(h *imagefile.Header, data []byte, order binary.ByteOrder) {
	if n := int64(order.Uint32(data[fieldUser:])); n > userBytes && n <= int64(len(data)-headerBytes) &&
		strings.HasPrefix(string(data[headerBytes:]), userName+"\x00") {
		text := string(data[headerBytes+userBytes : headerBytes+n])
		h.Attributes = imagefile.ParseLines(strings.ToValidUTF8(text, "\uFFFD"))
	}
	add := func(name string, value any) {
		if h.Attributes.Get(name) != nil {
			return
		}
		h.Attributes = append(h.Attributes, imagefile.Attribute{Name: name, Value: value})
	}
	text := func(name string, at, room int) {
		value, _, _ := strings.Cut(string(data[at:at+room]), "\x00")
		if value != "" && value[0] != 0xff {
			add(name, strings.ToValidUTF8(value, "\uFFFD"))
		}
	}
	for _, t := range texts {
		text(t.name, t.at, t.room)
	}
	text("created", fieldCreated, 24)
	if x, y := order.Uint32(data[fieldAspect:]), order.Uint32(data[fieldAspect+4:]); x > 0 && y > 0 &&
		x != undefined &&
		y != undefined {
		h.PixelAspect = float64(x) / float64(y)
	}
	if v := order.Uint32(data[fieldTimeCode:]); v != undefined {
		add("timeCode", imagefile.TimeCode{Time: v, User: order.Uint32(data[fieldUserBits:])})
	}
	if v := order.Uint32(data[fieldFrame:]); v != undefined {
		add("frame", int32(v))
	}
	for _, f := range []struct {
		name string
		at   int
	}{{"framesPerSecond", fieldRate}, {"shutterAngle", fieldShutter}} {
		if v := math.Float32frombits(order.Uint32(data[f.at:])); v > 0 && v < 1e6 {
			add(f.name, v)
		}
	}
	gamma := float64(math.Float32frombits(order.Uint32(data[fieldGamma:])))
	switch transfer := data[fieldElement+elementTransfer]; {
	case transfer == transferLinear:
		h.Curve = pixel.Linear
	case transfer == transferBT709:
		h.Curve = pixel.BT1886
	case gamma > 0 && gamma < 10:
		h.Curve = pixel.OfGamma(gamma)
	}
}
