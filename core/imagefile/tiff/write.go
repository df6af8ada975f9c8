package tiff

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"runtime"
	"slices"
	"sync"

	"github.com/cespare/xxhash/v2"
	"github.com/klauspost/compress/zlib"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/ifd"
	"reelhouse/core/pixel"
)

var le = binary.LittleEndian

const (
	stripBytes = 1 << 17 // that strips have at least
	maxEdge    = 1<<31 - 1
	perInch    = 72
	usualLevel = 5
)

// NewWriter writes a file when it is closed. Channels are Y, YA, RGB or RGBA, all of 8 or 16-bit codes or of 32-bit
// floats; the header says whether colour is straight.
func NewWriter(out io.Writer, h imagefile.Header, o Options) (imagefile.Writer, error) {
	if o.Compression == 0 {
		o.Compression = None
	}
	if o.Level == 0 {
		o.Level = usualLevel
	}
	err := h.CheckSize(maxEdge)
	for _, a := range h.Attributes {
		if c, is := a.Value.(imagefile.Chromaticities); is && err == nil && !c.Positive() {
			err = fmt.Errorf("a chromaticity below 0 cannot be said")
		}
	}
	if err == nil {
		err = h.CheckChannels(
			[]imagefile.Type{imagefile.Uint8, imagefile.Uint16, imagefile.Float}, "Y", "YA", "RGB", "RGBA",
		)
	}
	switch {
	case err != nil:
	case o.Compression != None && o.Compression != LZW && o.Compression != Deflate:
		err = fmt.Errorf("%s is not written", o.Compression)
	case o.Level < 1 || o.Level > 9:
		err = fmt.Errorf("a level of %d is outside 1 to 9", o.Level)
	case h.Bytes() > math.MaxUint32-1<<24:
		err = fmt.Errorf("%d bytes of pixels are more than a file can hold", h.Bytes())
	case h.Channel("A") >= 0 && h.Alpha == imagefile.Unstated:
		err = fmt.Errorf("a channel A needs to be said to be straight or premultiplied")
	}
	if err != nil {
		return nil, fmt.Errorf("tiff: %w", err)
	}
	return imagefile.Gather(h, func(p imagefile.Part) error { return encode(out, p, o) }), nil
}

func sumText(sum *xxhash.Digest) string {
	return fmt.Sprintf("%0*x", imagefile.DataSumDigits, sum.Sum64())
}

func encode(out io.Writer, p imagefile.Part, o Options) error {
	size, samples := p.Channels[0].Type.Size(), len(p.Channels)
	line := p.Width() * samples * size
	rows := max(1, min(p.Height(), stripBytes/line))
	strips := make([][]byte, (p.Height()+rows-1)/rows)
	errs := make([]error, len(strips))
	var wg sync.WaitGroup
	slots := make(chan struct{}, runtime.GOMAXPROCS(0))
	for i := range strips {
		slots <- struct{}{}
		wg.Go(func() {
			strips[i], errs[i] = packStrip(p, i*rows, min(p.Height(), (i+1)*rows), o)
			<-slots
		})
	}
	wg.Wait()
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	stale := func(a imagefile.Attribute) bool { return a.Name == imagefile.DataSum }
	o.Sum = o.Sum || slices.ContainsFunc(p.Attributes, stale)
	p.Attributes = slices.DeleteFunc(slices.Clone(p.Attributes), stale)
	if o.Sum {
		sum := xxhash.New()
		for _, s := range strips {
			sum.Write(s)
		}
		p.Attributes = append(p.Attributes, imagefile.Attribute{Name: imagefile.DataSum, Value: sumText(sum)})
	}
	d := directory(p.Header, o)
	d.AddInts(tagRowsPerStrip, ifd.Long, rows)
	offsets, counts := make([]int, len(strips)), make([]int, len(strips))
	at := 8
	for i, s := range strips {
		offsets[i], counts[i] = at, len(s)
		at += len(s) + len(s)%2
	}
	d.AddInts(tagStripOffsets, ifd.Long, offsets...)
	d.AddInts(tagStripByteCounts, ifd.Long, counts...)
	head := le.AppendUint32([]byte(Signatures[0]), uint32(at))
	for _, part := range append([][]byte{head}, strips...) {
		if len(part)%2 == 1 {
			part = append(part, 0) // what follows begins at an even offset
		}
		if _, err := out.Write(part); err != nil {
			return err
		}
	}
	_, err := out.Write(d.Append(nil, at, 0))
	return err
}

// directory returns all tags but those of the strips.
func directory(h imagefile.Header, o Options) ifd.Directory {
	d := ifd.Directory{Order: le}
	t, samples := h.Channels[0].Type, len(h.Channels)
	same := func(v int) []int { return slices.Repeat([]int{v}, samples) }
	d.AddInts(tagWidth, ifd.Long, h.Width())
	d.AddInts(tagHeight, ifd.Long, h.Height())
	d.AddInts(tagBits, ifd.Short, same(8*t.Size())...)
	d.AddInts(tagCompression, ifd.Short, int(o.Compression))
	photometric := rgb
	if samples < 3 {
		photometric = blackIsZero
	}
	d.AddInts(tagPhotometric, ifd.Short, photometric)
	d.AddInts(tagOrientation, ifd.Short, 1)
	d.AddInts(tagSamplesPerPixel, ifd.Short, samples)
	d.AddInts(tagPlanar, ifd.Short, chunky)
	d.AddRatio(tagXResolution, perInch/h.Aspect()) // a wide pixel: fewer to the inch
	d.AddRatio(tagYResolution, perInch)
	d.AddInts(tagResolutionUnit, ifd.Short, 2)
	format := formatUnsigned
	if t == imagefile.Float {
		format = formatFloat
	}
	d.AddInts(tagSampleFormat, ifd.Short, same(format)...)
	if h.Channel("A") >= 0 {
		extra := extraAssociated
		if h.Alpha == imagefile.Straight {
			extra = extraUnassociated
		}
		d.AddInts(tagExtraSamples, ifd.Short, extra)
	}
	if o.Compression != None {
		predictor := predictCodes
		if t == imagefile.Float {
			predictor = predictFloats
		}
		d.AddInts(tagPredictor, ifd.Short, predictor)
	}
	var rest imagefile.Attributes
	for _, a := range h.Attributes {
		c, placed := a.Value.(imagefile.Chromaticities)
		if placed {
			g := c.Gamut()
			d.AddRatio(tagWhitePoint, short(g.White.X), short(g.White.Y))
			var primaries []float64
			for _, c := range []pixel.Chromaticity{g.Red, g.Green, g.Blue} {
				primaries = append(primaries, short(c.X), short(c.Y))
			}
			d.AddRatio(tagPrimaries, primaries...)
		}
		for _, t := range texts {
			if v, ok := a.Value.(string); ok && t.name == a.Name {
				d.AddText(t.tag, v)
				placed = true
			}
		}
		if !placed {
			rest = append(rest, a)
		}
	}
	if h.Curve != "" {
		rest = append(rest, imagefile.Attribute{Name: curveName, Value: string(h.Curve)})
	}
	d.AddText(tagDescription, rest.Lines())
	return d
}

// short returns a chromaticity without what a float of 32 bits adds to its decimals.
func short(v float64) float64 { return math.Round(v*1e6) / 1e6 }

// curveName is the line of the description that says what codes are encoded by; TIFF has no simple tag for it.
const curveName = "encode"

// packStrip returns lines y0 up to y1, packed.
func packStrip(p imagefile.Part, y0, y1 int, o Options) ([]byte, error) {
	size, samples := p.Channels[0].Type.Size(), len(p.Channels)
	line := p.Width() * samples * size
	raw := make([]byte, (y1-y0)*line)
	scratch := make([]byte, line)
	for y := y0; y < y1; y++ {
		row := raw[(y-y0)*line:][:line]
		imagefile.Interleave(row, p.Planes, y, p.Width(), size)
		switch {
		case o.Compression == None:
		case p.Channels[0].Type == imagefile.Float:
			doFloats(row, scratch, samples, size)
		default:
			doCodes(row, samples, size)
		}
	}
	switch o.Compression {
	case LZW:
		return packLZW(raw), nil
	case Deflate:
		var b bytes.Buffer
		z, err := zlib.NewWriterLevel(&b, o.Level)
		if err != nil {
			return nil, err
		}
		if _, err := z.Write(raw); err != nil {
			return nil, err
		}
		err = z.Close()
		return b.Bytes(), err
	}
	return raw, nil
}

// Codes of LZW (section 13).
const (
	clearCode = 256
	endCode   = 257
	firstCode = 258
	lastCode  = 4094 // at which the table is cleared
)

// packLZW compresses as section 13 has it: codes of 9 bits at first, the highest bit first, one bit longer as soon as
// the table is full for them.
func packLZW(data []byte) []byte {
	var out []byte
	hold, have := uint32(0), 0
	width := 9
	put := func(code int) {
		hold |= uint32(code) << (32 - have - width)
		for have += width; have >= 8; have -= 8 {
			out = append(out, byte(hold>>24))
			hold <<= 8
		}
	}
	// The table: which code a code with one more byte has.
	next := make([]uint16, (lastCode+1)*256)
	used := make([]int, 0, lastCode)
	put(clearCode)
	free, prefix := firstCode, -1
	for _, b := range data {
		if prefix < 0 {
			prefix = int(b)
			continue
		}
		at := prefix<<8 | int(b)
		if code := next[at]; code > 0 {
			prefix = int(code)
			continue
		}
		put(prefix)
		next[at] = uint16(free)
		used = append(used, at)
		prefix = int(b)
		if free++; free == lastCode {
			put(clearCode)
			for _, at := range used {
				next[at] = 0
			}
			used, free, width = used[:0], firstCode, 9
			continue
		}
		if free == 1<<width {
			width++
		}
	}
	if prefix >= 0 {
		put(prefix)
		switch free + 1 {
		case lastCode:
			put(clearCode)
			width = 9
		case 1 << width:
			width++
		}
	}
	put(endCode)
	if have > 0 {
		out = append(out, byte(hold>>24))
	}
	return out
}
