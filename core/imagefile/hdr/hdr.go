// Package hdr reads and writes Radiance pictures: light in three mantissas of 8 bits and one exponent, in runs or
// plain, with a header of lines of text.
//
// The format is that of the Radiance reference manual, "Picture File Format"; the runs are the later kind, one of each
// component of a scan line.
package hdr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"reelhouse/core/imagefile"
)

// Signatures begin every file.
var Signatures = []string{"#?RADIANCE", "#?RGBE"}

const (
	format    = "32-bit_rle_rgbe"
	primaries = "PRIMARIES" // CIE x and y of red, green, blue and white
	leastRuns = 8           // widths outside are stored plain
	mostRuns  = 0x7fff
	maxEdge   = 1 << 20
	maxHeader = 1 << 16
	shortest  = 4 // run
	longest   = 127
)

var le = binary.LittleEndian

// NewWriter writes a file when it is closed. Channels are RGB of 32-bit floats; attributes become lines of the header.
func NewWriter(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
	err := h.CheckSize(maxEdge)
	if err == nil {
		err = h.CheckChannels([]imagefile.Type{imagefile.Float}, "RGB")
	}
	for _, a := range h.Attributes {
		if err == nil && (a.Name == "" || strings.ContainsAny(a.Name, "=\n# ")) {
			err = fmt.Errorf("the attribute name %q cannot begin a line of the header", a.Name)
		}
	}
	if err != nil {
		return nil, fmt.Errorf("hdr: %w", err)
	}
	return imagefile.Gather(h, func(p imagefile.Part) error { return encode(out, p) }), nil
}

func encode(out io.Writer, p imagefile.Part) error {
	var b bytes.Buffer
	fmt.Fprintf(&b, "%s\n", Signatures[0])
	var rest imagefile.Attributes
	for _, a := range p.Attributes {
		if c, is := a.Value.(imagefile.Chromaticities); is {
			fmt.Fprintf(&b, "%s=", primaries)
			for _, v := range []imagefile.V2f{c.Red, c.Green, c.Blue, c.White} {
				fmt.Fprintf(&b, " %g %g", v[0], v[1])
			}
			b.WriteByte('\n')
			continue
		}
		rest = append(rest, a)
	}
	// The aspect is a pixel's height over its width.
	fmt.Fprintf(
		&b, "%sFORMAT=%s\nPIXASPECT=%g\n\n-Y %d +X %d\n", rest.Lines(), format, 1/p.Aspect(), p.Height(), p.Width(),
	)
	width := p.Width()
	row := make([]byte, 4*width)
	data := b.Bytes()
	for y := range p.Height() {
		for x := range width {
			var light [3]float32
			for k := range light {
				light[k] = math.Float32frombits(le.Uint32(p.Planes[k][4*(y*width+x):]))
			}
			c := shared(light)
			for k, v := range c {
				row[k*width+x] = v // component by component
			}
		}
		if width < leastRuns || width > mostRuns {
			for x := range width {
				data = append(data, row[x], row[width+x], row[2*width+x], row[3*width+x])
			}
			continue
		}
		data = append(data, 2, 2, byte(width>>8), byte(width))
		for k := range 4 {
			data = packRuns(data, row[k*width:(k+1)*width])
		}
	}
	_, err := out.Write(data)
	return err
}

// shared returns light with one exponent for all three components: that of the largest. What is below 0 or not a number
// becomes 0.
func shared(light [3]float32) (c [4]byte) {
	for k, v := range light {
		if !(v > 0) {
			light[k] = 0
		} else {
			light[k] = min(v, math.MaxFloat32)
		}
	}
	most := max(light[0], light[1], light[2])
	if most < 1e-32 {
		return c
	}
	_, exponent := math.Frexp(float64(most))
	exponent = min(exponent, 127)
	scale := math.Ldexp(256, -exponent)
	for k, v := range light {
		c[k] = byte(min(255, float64(v)*scale+0.5))
	}
	c[3] = byte(exponent + 128)
	return c
}

// packRuns appends one component of a line: a count above 128 is a run, any other that many bytes as they are.
func packRuns(dst, in []byte) []byte {
	for len(in) > 0 {
		same := 1
		for same < len(in) && same < longest && in[same] == in[0] {
			same++
		}
		if same >= shortest {
			dst, in = append(dst, 128+byte(same), in[0]), in[same:]
			continue
		}
		n := 0
		for n < len(in) && n < longest && !(n+3 < len(in) && in[n] == in[n+1] && in[n] == in[n+2] && in[n] == in[n+3]) {
			n++
		}
		dst, in = append(append(dst, byte(n)), in[:n]...), in[n:]
	}
	return dst
}

// A reader keeps a file as it is stored, which takes far less than its planes, and unpacks the lines that are asked
// for.
type reader struct {
	header imagefile.Header
	lines  [][]byte // of the file, each from where it begins
}

// NewReader reads a whole file of size bytes; limit bounds its own size and that of its planes. It goes through all
// lines once, so that one that is damaged is known from the start.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("hdr: %w", err)
	}
	r, err := open(data, limit)
	if err != nil {
		return nil, fmt.Errorf("hdr: %w", err)
	}
	return r, nil
}

// Headers returns what the one part is.
func (r *reader) Headers() []imagefile.Header { return []imagefile.Header{r.header} }

// ReadLines fills planes with lines; see imagefile.Reader.
func (r *reader) ReadLines(part, y0, y1 int, planes [][]byte) error {
	if part != 0 {
		return fmt.Errorf("hdr: there is no part %d, only one", part+1)
	}
	if err := r.header.CheckLines(y0, y1, planes); err != nil {
		return fmt.Errorf("hdr: %w", err)
	}
	width := r.header.Width()
	row := make([]byte, 4*width)
	for y := y0; y < y1; y++ {
		if _, err := unpackLine(row, r.lines[y], width); err != nil {
			return fmt.Errorf("hdr: line %d: %w", y+1, err)
		}
		for k, plane := range planes {
			if plane != nil {
				unshare(plane[4*(y-y0)*width:], row, k, width)
			}
		}
	}
	return nil
}

// scales are what the exponents of pixels stand for; 0 for darkness.
var scales = func() (all [256]float64) {
	for e := 1; e < len(all); e++ {
		all[e] = math.Ldexp(1, e-(128+8))
	}
	return all
}()

// unshare fills a line of one component with floats.
func unshare(line, row []byte, component, width int) {
	from, exponents := row[component*width:(component+1)*width], row[3*width:]
	for x, mantissa := range from {
		le.PutUint32(line[4*x:], math.Float32bits(float32(float64(mantissa)*scales[exponents[x]])))
	}
}

func open(data []byte, limit int64) (*reader, error) {
	p := imagefile.Header{}
	head, _, ok := bytes.Cut(data[:min(len(data), maxHeader)], []byte("\n\n"))
	if !ok || !bytes.HasPrefix(data, []byte("#?")) {
		return nil, fmt.Errorf("its header does not end, or it is no such file")
	}
	pixels := data[len(head)+2:]
	var attributes imagefile.Attributes
	aspect := 1.0
	for _, a := range imagefile.ParseLines(string(head)) {
		switch value := strings.TrimSpace(a.String()); a.Name {
		case "FORMAT":
			if value != format {
				return nil, fmt.Errorf("the format %s is not read, only %s", value, format)
			}
		case "PIXASPECT":
			v, err := strconv.ParseFloat(value, 64)
			if err != nil || !(v > 0) {
				return nil, fmt.Errorf("the pixel aspect %q is no number above 0", value)
			}
			aspect /= v
		case primaries:
			attributes = append(attributes, gamutOf(a, value))
		default:
			attributes = append(attributes, a)
		}
	}
	line, _, ok := bytes.Cut(pixels[:min(len(pixels), 64)], []byte("\n"))
	var width, height int
	if !ok {
		return nil, fmt.Errorf("its size is missing")
	}
	if n, err := fmt.Sscanf(string(line), "-Y %d +X %d", &height, &width); err != nil || n != 2 {
		return nil, fmt.Errorf("the order of pixels %q is not read, only -Y height +X width", line)
	}
	if width < 1 || height < 1 || width > maxEdge || height > maxEdge {
		return nil, fmt.Errorf("%d × %d pixels cannot be read", width, height)
	}
	pixels = pixels[len(line)+1:]
	p = imagefile.Plain(width, height, imagefile.Float, "R", "G", "B")
	p.Attributes = attributes
	if aspect != 1 {
		p.PixelAspect = aspect
	}
	if err := p.Within(limit); err != nil {
		return nil, err
	}
	if len(pixels)/4 < height { // a line of runs has at least as many bytes
		return nil, fmt.Errorf("cut short")
	}
	r := &reader{header: p, lines: make([][]byte, height)}
	row := make([]byte, 4*width)
	for y := range height {
		r.lines[y] = pixels
		rest, err := unpackLine(row, pixels, width)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", y+1, err)
		}
		pixels = rest
	}
	return r, nil
}

// gamutOf reads what a line says of primaries; what cannot be read stays as it is.
func gamutOf(a imagefile.Attribute, value string) imagefile.Attribute {
	var c imagefile.Chromaticities
	n, err := fmt.Sscan(
		value, &c.Red[0], &c.Red[1], &c.Green[0], &c.Green[1], &c.Blue[0], &c.Blue[1], &c.White[0], &c.White[1],
	)
	if n != 8 || err != nil {
		return a
	}
	return imagefile.Attribute{Name: imagefile.ChromaticitiesName, Value: c}
}

// unpackLine fills row component by component and returns what is behind the line.
func unpackLine(row, in []byte, width int) ([]byte, error) {
	damaged := fmt.Errorf("cut short or damaged")
	if len(in) < 4 {
		return nil, damaged
	}
	if width < leastRuns || width > mostRuns || in[0] != 2 || in[1] != 2 || in[2]&0x80 != 0 {
		return unpackPlain(row, in, width)
	}
	if int(in[2])<<8|int(in[3]) != width {
		return nil, damaged
	}
	in = in[4:]
	for k := range 4 {
		out := row[k*width : (k+1)*width]
		for len(out) > 0 {
			if len(in) < 2 {
				return nil, damaged
			}
			n := int(in[0])
			in = in[1:]
			if n > 128 {
				if n -= 128; n > len(out) {
					return nil, damaged
				}
				for i := range n {
					out[i] = in[0]
				}
				in, out = in[1:], out[n:]
				continue
			}
			if n == 0 || n > len(out) || n > len(in) {
				return nil, damaged
			}
			copy(out, in[:n])
			in, out = in[n:], out[n:]
		}
	}
	return in, nil
}

// unpackPlain reads pixels one by one, and the older kind of runs: a pixel of three ones repeats the one before it, as
// often as its exponent says; several in a row count in steps of 256.
func unpackPlain(row, in []byte, width int) ([]byte, error) {
	shift := 0
	for x := 0; x < width; {
		if len(in) < 4 {
			return nil, fmt.Errorf("cut short")
		}
		c := in[:4]
		in = in[4:]
		if c[0] == 1 && c[1] == 1 && c[2] == 1 && x > 0 {
			if shift > 16 {
				return nil, fmt.Errorf("damaged: a run reaches too far")
			}
			n := int(c[3]) << shift
			shift += 8
			if n > width-x {
				return nil, fmt.Errorf("damaged: a run reaches too far")
			}
			for range n {
				for k := range 4 {
					row[k*width+x] = row[k*width+x-1]
				}
				x++
			}
			continue
		}
		shift = 0
		for k, v := range c {
			row[k*width+x] = v
		}
		x++
	}
	return in, nil
}
