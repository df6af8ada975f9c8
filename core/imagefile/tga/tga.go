// Package tga reads and writes TGA files (Truevision TGA file format specification, version 2.0): grey of 8 bits,
// colour of 24, and of 32 with alpha, plain or in runs. What alpha means, the pixel's shape and some text stand in the
// extension area. Read are palettes, colour of 15 and 16 bits, and grey with alpha, too.
package tga

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

// Options say how a file is written.
type Options struct {
	Runs bool // of the same pixel are packed
}

// Image types (field 3).
const (
	mapped         = 1 // by a palette
	trueColour     = 2
	grey           = 3
	runs           = 8 // added to the types above
	headerBytes    = 18
	topDown        = 0x20
	rightToLeft    = 0x10
	alphaBits      = 0x0f
	maxEdge        = math.MaxUint16
	packetRun      = 0x80
	packetMost     = 128
	extensionBytes = 495
	footerBytes    = 26
	signature      = "TRUEVISION-XFILE.\x00"
)

// developerTag is that of our text in the developer area, where tags above 32767 are free.
const developerTag = 40000

// Fields of the extension area, by their offsets.
const (
	extensionAuthor   = 2
	authorBytes       = 41
	extensionComments = 43
	commentLines      = 4
	commentBytes      = 81
	extensionDate     = 367
	extensionJob      = 379
	jobBytes          = 41
	extensionSoftware = 426
	softwareBytes     = 41
	extensionAspect   = 474
	extensionGamma    = 478
	extensionAlpha    = 494
)

// Attribute types (field 24).
const (
	alphaNone          = 0
	alphaUseful        = 3
	alphaPremultiplied = 4
)

// dateForm is that of the attribute capDate.
const dateForm = "2006:01:02 15:04:05"

var le = binary.LittleEndian

// NewWriter writes a file when it is closed. Channels are Y, RGB or RGBA of 8 bits. The extension area has room for the
// attributes owner, comments (320 letters), capDate, title (40) and software (40); all of them stand in the developer
// area. It can say no encode but a plain power; of sRGB nothing is said.
func NewWriter(out io.Writer, h imagefile.Header, o Options) (imagefile.Writer, error) {
	err := h.CheckSize(maxEdge)
	if err == nil {
		err = h.CheckChannels([]imagefile.Type{imagefile.Uint8}, "Y", "RGB", "RGBA")
	}
	if err == nil && len(h.Channels) == 4 && h.Alpha == imagefile.Unstated {
		err = fmt.Errorf("a channel A needs to be said to be straight or premultiplied")
	}
	if err != nil {
		return nil, fmt.Errorf("tga: %w", err)
	}
	return imagefile.Gather(h, func(p imagefile.Part) error { return encode(out, p, o) }), nil
}

// order is that of the bytes of a pixel: blue first.
var order = map[int][]int{1: {0}, 3: {2, 1, 0}, 4: {2, 1, 0, 3}}

func encode(out io.Writer, p imagefile.Part, o Options) error {
	samples := len(p.Planes)
	head := make([]byte, headerBytes)
	head[2] = trueColour
	if samples == 1 {
		head[2] = grey
	}
	if o.Runs {
		head[2] += runs
	}
	le.PutUint16(head[12:], uint16(p.Width()))
	le.PutUint16(head[14:], uint16(p.Height()))
	head[16] = byte(8 * samples)
	head[17] = topDown
	if samples == 4 {
		head[17] |= 8
	}
	data := head
	row := make([]byte, p.Width()*samples)
	for y := range p.Height() {
		for k, from := range order[samples] {
			for x, v := range p.Planes[from][y*p.Width() : (y+1)*p.Width()] {
				row[x*samples+k] = v
			}
		}
		if o.Runs {
			data = packRow(data, row, samples)
		} else {
			data = append(data, row...)
		}
	}
	// The developer area: one field, the attributes line by line; and its directory.
	text := p.Attributes.Lines()
	developer := 0
	if text != "" {
		at := len(data)
		data = append(data, text...)
		developer = len(data)
		data = le.AppendUint16(le.AppendUint16(data, 1), developerTag)
		data = le.AppendUint32(le.AppendUint32(data, uint32(at)), uint32(len(text)))
	}
	at := len(data)
	data = append(data, extension(p.Header)...)
	data = le.AppendUint32(le.AppendUint32(data, uint32(at)), uint32(developer))
	_, err := out.Write(append(data, signature...))
	return err
}

// packRow appends a row in packets, which never reach over its end.
func packRow(dst, row []byte, size int) []byte {
	pixel := func(i int) []byte { return row[i*size : (i+1)*size] }
	n := len(row) / size
	for x := 0; x < n; {
		same := 1
		for x+same < n && same < packetMost && bytes.Equal(pixel(x), pixel(x+same)) {
			same++
		}
		if same > 1 {
			dst = append(append(dst, packetRun|byte(same-1)), pixel(x)...)
			x += same
			continue
		}
		other := 1
		for x+other < n && other < packetMost && (x+other+1 >= n || !bytes.Equal(pixel(x+other), pixel(x+other+1))) {
			other++
		}
		dst = append(append(dst, byte(other-1)), row[x*size:(x+other)*size]...)
		x += other
	}
	return dst
}

// extension returns the extension area.
func extension(h imagefile.Header) []byte {
	e := make([]byte, extensionBytes)
	le.PutUint16(e, extensionBytes)
	text := func(at, room int, s string) { copy(e[at:at+room-1], s) }
	text(extensionAuthor, authorBytes, h.Attributes.Text("owner"))
	comments := h.Attributes.Text("comments")
	for i := range commentLines {
		n := min(len(comments), commentBytes-1)
		text(extensionComments+i*commentBytes, commentBytes, comments[:n])
		comments = comments[n:]
	}
	if t, err := time.Parse(dateForm, h.Attributes.Text("capDate")); err == nil {
		for i, v := range []int{int(t.Month()), t.Day(), t.Year(), t.Hour(), t.Minute(), t.Second()} {
			le.PutUint16(e[extensionDate+2*i:], uint16(v))
		}
	}
	text(extensionJob, jobBytes, h.Attributes.Text("title"))
	text(extensionSoftware, softwareBytes, h.Attributes.Text("software"))
	e[extensionSoftware+softwareBytes+2] = ' '
	putRatio(e[extensionAspect:], h.Aspect())
	if h.Curve != "" && h.Curve != pixel.SRGB {
		putRatio(e[extensionGamma:], h.Curve.Gamma())
	}
	if len(h.Channels) == 4 {
		e[extensionAlpha] = alphaUseful
		if h.Alpha == imagefile.Premultiplied {
			e[extensionAlpha] = alphaPremultiplied
		}
	}
	return e
}

// putRatio writes a fraction of two 16-bit numbers.
func putRatio(dst []byte, v float64) {
	denominator := 1.0
	for denominator < 1000 && math.Round(v*denominator) != v*denominator {
		denominator *= 10
	}
	le.PutUint16(dst, uint16(min(math.MaxUint16, math.Round(v*denominator))))
	le.PutUint16(dst[2:], uint16(denominator))
}

// Is reports whether data may be a TGA file, which has no signature at its beginning: its header makes sense.
func Is(data []byte) bool {
	return len(data) >= headerBytes && checkHeader(data) == nil
}

func checkHeader(data []byte) error {
	kind, bits := data[2], int(data[16])
	switch {
	case data[1] > 1 || data[1] == 0 && kind&^runs == mapped:
		return fmt.Errorf("its colour map is of type %d; files with one map or none are read", data[1])
	case kind&^runs < mapped || kind&^runs > grey:
		return fmt.Errorf("its image type is %d; palettes, true colour and grey, plain or in runs, are read", kind)
	case !slices.Contains(depths[kind&^runs], bits):
		return fmt.Errorf("its pixels have %d bits; of this type %v are read", bits, depths[kind&^runs])
	case data[1] == 1 && !slices.Contains(depths[trueColour], int(data[7])):
		return fmt.Errorf("the colours of its map have %d bits; %v are read", data[7], depths[trueColour])
	case le.Uint16(data[12:]) == 0 || le.Uint16(data[14:]) == 0:
		return fmt.Errorf("a picture without pixels")
	case data[17]&0xc0 != 0:
		return fmt.Errorf("its lines are interleaved; files whose lines follow each other are read")
	}
	return nil
}

// depths are the bits of a pixel that are read, by image type.
var depths = map[byte][]int{mapped: {8, 16}, trueColour: {15, 16, 24, 32}, grey: {8, 16}}

// A layout is how pixels stand in a file: their bytes, and what channels they become.
type layout struct {
	size     int // bytes of a pixel
	channels string
	alpha    bool     // whether the highest bit of 16 is alpha
	palette  [][]byte // by channel, of mapped files
	first    int      // code of the palette's first colour
}

// layoutOf returns the layout of a file whose header is right, and where its pixels begin.
func layoutOf(data []byte) (l layout, at int, err error) {
	at = headerBytes + int(data[0])
	kind, bits := data[2]&^runs, int(data[16])
	l.size, l.alpha = (bits+7)/8, data[17]&alphaBits == 1
	colours := layout{size: (int(data[7]) + 7) / 8, alpha: l.alpha}
	count := int(le.Uint16(data[5:]))
	if data[1] == 0 {
		count = 0
	}
	if count*colours.size > len(data)-at {
		return l, 0, fmt.Errorf("cut short in its colour map")
	}
	entries := data[at:][:count*colours.size]
	at += len(entries)
	switch {
	case kind == grey:
		l.channels = "YA"[:l.size]
	case kind == trueColour:
		l.channels = l.colours(bits)
	default:
		if count == 0 {
			return l, 0, fmt.Errorf("its colour map is empty")
		}
		l.channels, l.first = colours.colours(int(data[7])), int(le.Uint16(data[3:]))
		colours.channels = l.channels
		for i := range count {
			entry := make([]byte, len(l.channels))
			colours.split(entry, entries[i*colours.size:])
			l.palette = append(l.palette, entry)
		}
	}
	return l, at, nil
}

// colours returns the channels of pixels of so many bits.
func (l layout) colours(bits int) string {
	if bits == 32 || bits == 16 && l.alpha {
		return "RGBA"
	}
	return "RGB"
}

// split puts the bytes of a pixel into its channels.
func (l layout) split(out, in []byte) error {
	switch {
	case l.palette != nil:
		code := int(in[0])
		if l.size == 2 {
			code = int(le.Uint16(in))
		}
		if code -= l.first; code < 0 || code >= len(l.palette) {
			return fmt.Errorf("damaged: a pixel has the colour %d of %d", code+l.first, len(l.palette))
		}
		copy(out, l.palette[code])
	case l.channels[0] == 'Y':
		copy(out, in[:l.size])
	case l.size == 2: // five bits each, blue lowest
		v := le.Uint16(in)
		for k := range 3 {
			five := byte(v >> (10 - 5*k) & 31)
			out[k] = five<<3 | five>>2
		}
		if len(out) == 4 {
			out[3] = byte(v>>15) * 0xff
		}
	default:
		for k, from := range order[l.size] {
			out[k] = in[from]
		}
	}
	return nil
}

// NewReader reads a whole file of size bytes; limit bounds its own size and that of its planes.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("tga: %w", err)
	}
	p, err := decode(data, limit)
	if err != nil {
		return nil, fmt.Errorf("tga: %w", err)
	}
	return imagefile.Whole(p), nil
}

func decode(data []byte, limit int64) (p imagefile.Part, err error) {
	if len(data) < headerBytes {
		return p, fmt.Errorf("cut short in its header")
	}
	if err := checkHeader(data); err != nil {
		return p, err
	}
	l, at, err := layoutOf(data)
	if err != nil {
		return p, err
	}
	samples := l.size
	width, height := int(le.Uint16(data[12:])), int(le.Uint16(data[14:]))
	p.Header = imagefile.Plain(width, height, imagefile.Uint8, strings.Split(l.channels, "")...)
	if err := p.Within(limit); err != nil {
		return p, err
	}
	if p.Channel("A") >= 0 {
		p.Alpha = imagefile.Straight
	}
	readExtension(&p.Header, data)
	descriptor, pixels := data[17], data[at:]
	if data[2] < runs && len(pixels) < width*height*samples {
		return p, fmt.Errorf("cut short: %d bytes of pixels instead of %d", len(pixels), width*height*samples)
	}
	if data[2] >= runs && len(pixels) < height { // a packet reaches over packetMost pixels
		return p, fmt.Errorf("cut short")
	}
	p.Planes = p.Header.Planes(height)
	u := unpacker{data: pixels, size: samples}
	row, values := make([]byte, width*samples), make([]byte, len(p.Planes))
	for i := range height {
		if data[2] < runs {
			row, pixels = pixels[:width*samples], pixels[width*samples:]
		} else if err := u.fill(row); err != nil {
			return p, err
		}
		y := i
		if descriptor&topDown == 0 {
			y = height - 1 - i
		}
		for x := range width {
			if err := l.split(values, row[x*samples:]); err != nil {
				return p, err
			}
			at := y*width + x
			if descriptor&rightToLeft != 0 {
				at = y*width + width - 1 - x
			}
			for k, v := range values {
				p.Planes[k][at] = v
			}
		}
	}
	return p, nil
}

// An unpacker reads packets, which some writers let reach over the ends of rows.
type unpacker struct {
	data []byte
	size int
	left int  // pixels of the packet that were not read
	run  bool // they are all the next one
}

func (u *unpacker) fill(row []byte) error {
	for len(row) > 0 {
		if u.left == 0 {
			if len(u.data) == 0 {
				return fmt.Errorf("cut short in its pixels")
			}
			u.left, u.run = int(u.data[0]&^packetRun)+1, u.data[0]&packetRun != 0
			u.data = u.data[1:]
		}
		if len(u.data) < u.size {
			return fmt.Errorf("cut short in its pixels")
		}
		copy(row, u.data[:u.size])
		row = row[u.size:]
		if u.left--; !u.run || u.left == 0 {
			u.data = u.data[u.size:]
		}
	}
	return nil
}

// readExtension reads the extension area, if the file has one.
func readExtension(h *imagefile.Header, data []byte) {
	if len(data) < footerBytes || string(data[len(data)-len(signature):]) != signature {
		return
	}
	at := int(le.Uint32(data[len(data)-footerBytes:]))
	if at < headerBytes || at > len(data)-extensionBytes {
		return
	}
	e := data[at : at+extensionBytes]
	readDeveloper(h, data)
	add := func(name, value string) {
		if h.Attributes.Get(name) != nil {
			return
		}
		value, _, _ = strings.Cut(value, "\x00")
		if value = strings.TrimRight(value, " "); value != "" {
			h.Attributes = append(
				h.Attributes, imagefile.Attribute{Name: name, Value: strings.ToValidUTF8(value, "\uFFFD")},
			)
		}
	}
	add("owner", string(e[extensionAuthor:][:authorBytes]))
	var comments strings.Builder
	for i := range commentLines {
		line, _, _ := strings.Cut(string(e[extensionComments+i*commentBytes:][:commentBytes]), "\x00")
		comments.WriteString(line)
	}
	add("comments", comments.String())
	date := func(i int) int { return int(le.Uint16(e[extensionDate+2*i:])) }
	if date(0) > 0 {
		add(
			"capDate",
			time.Date(date(2), time.Month(date(0)), date(1), date(3), date(4), date(5), 0, time.UTC).Format(dateForm),
		)
	}
	add("title", string(e[extensionJob:][:jobBytes]))
	add("software", string(e[extensionSoftware:][:softwareBytes]))
	ratio := func(at int) float64 {
		if le.Uint16(e[at+2:]) == 0 {
			return 0
		}
		return float64(le.Uint16(e[at:])) / float64(le.Uint16(e[at+2:]))
	}
	if v := ratio(extensionAspect); v > 0 {
		h.PixelAspect = v
	}
	if v := ratio(extensionGamma); v > 0 {
		h.Curve = pixel.OfGamma(v)
	}
	switch {
	case h.Channel("A") < 0:
	case e[extensionAlpha] == alphaPremultiplied:
		h.Alpha = imagefile.Premultiplied
	case e[extensionAlpha] < alphaUseful: // there is none, or it is to be left aside
		h.Alpha = imagefile.Unstated
	}
}

// readDeveloper reads our text in the developer area, if it is there.
func readDeveloper(h *imagefile.Header, data []byte) {
	at := int64(le.Uint32(data[len(data)-footerBytes+4:]))
	if at < headerBytes || at > int64(len(data)-2) {
		return
	}
	directory := data[at+2:]
	for range le.Uint16(data[at:]) {
		if len(directory) < 10 {
			return
		}
		from, size := int64(le.Uint32(directory[2:])), int64(le.Uint32(directory[6:]))
		if le.Uint16(directory) == developerTag && from <= int64(len(data)) && size <= int64(len(data))-from {
			h.Attributes = append(
				h.Attributes,
				imagefile.ParseLines(strings.ToValidUTF8(string(data[from:from+size]), "\uFFFD"))...)
		}
		directory = directory[10:]
	}
}
