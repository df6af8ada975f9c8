package exr

import (
	"bufio"
	"fmt"
	"image"
	"io"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/cespare/xxhash/v2"

	"reelhouse/core/imagefile"
)

// packers are used again, by one file after the other.
var packers = sync.Pool{New: func() any { return &packer{} }}

// batch is how many chunks each core packs before they are written.
const batch = 16

// A Writer writes one file. It keeps what is packed of one batch of chunks, and lines that do not fill a chunk yet.
type Writer struct {
	out     io.WriteSeeker
	buffer  *bufio.Writer
	at      int64 // where the next chunk begins
	tables  int64 // where the offset tables begin
	parts   []*unfinished
	packers []*packer
	chunks  [][]byte // packed, of a batch; their memory is used again
	sum     *xxhash.Digest
	sumAt   int64 // where the sum belongs; 0 for none
	err     error
}

// unfinished is a part that is being written.
type unfinished struct {
	part
	index   int // its number, in files of several parts; -1 in others
	written int // lines that are in chunks
	waiting int // lines behind them that do not fill a chunk
	planes  [][]byte
}

// NewWriter writes the headers of a file and leaves room for its offset tables, which Close fills in. The same
// lines give the same bytes, however many cores there are and however they are handed over.
func NewWriter(out io.WriteSeeker, parts ...Part) (*Writer, error) {
	w := &Writer{out: out, buffer: bufio.NewWriterSize(out, 1<<18), sum: xxhash.New()}
	header, err := w.headers(parts)
	if err != nil {
		return nil, fmt.Errorf("exr: %w", err)
	}
	w.tables = int64(len(header))
	for _, p := range w.parts {
		header = append(header, make([]byte, 8*len(p.table))...)
	}
	w.at = int64(len(header))
	w.sum.Write(header[:w.tables])
	if _, err := w.buffer.Write(header); err != nil {
		return nil, fmt.Errorf("exr: %w", err)
	}
	for range runtime.GOMAXPROCS(0) {
		w.packers = append(w.packers, packers.Get().(*packer))
	}
	return w, nil
}

// headers returns everything before the offset tables ("Version Field", "Header").
func (w *Writer) headers(parts []Part) ([]byte, error) {
	if len(parts) == 0 || len(parts) > maxParts {
		return nil, fmt.Errorf("a file has 1 to %d parts, not %d", maxParts, len(parts))
	}
	flags := uint32(version)
	if len(parts) > 1 {
		flags |= flagMultiPart
	} else if parts[0].Tile != (image.Point{}) {
		flags |= flagTiled
	}
	names := map[string]bool{}
	out := make([]byte, 8)
	for i, p := range parts {
		u := &unfinished{part: part{Part: p}, index: -1}
		if len(parts) > 1 {
			u.index = i
			if names[p.Name] || p.Name == "" {
				return nil, fmt.Errorf("part %d is called %q: parts of one file have names that differ", i+1, p.Name)
			}
			names[p.Name] = true
			if err := shareable(parts[0], p); err != nil {
				return nil, fmt.Errorf("part %d: %w", i+1, err)
			}
		}
		header, err := u.header()
		if err != nil {
			if len(parts) > 1 {
				err = fmt.Errorf("part %d: %w", i+1, err)
			}
			return nil, err
		}
		for _, a := range header {
			if len(a.name) > shortName || len(a.kind) > shortName {
				flags |= flagLongNames
			}
			out = append(append(out, a.name...), 0)
			out = append(append(out, a.kind...), 0)
			out = append(le.AppendUint32(out, uint32(len(a.data))), a.data...)
			if a.name == imagefile.DataSum {
				w.sumAt = int64(len(out) - len(a.data))
			}
		}
		for _, c := range p.Channels {
			if len(c.Name) > shortName {
				flags |= flagLongNames
			}
		}
		out = append(out, 0)
		w.parts = append(w.parts, u)
	}
	if len(parts) > 1 {
		out = append(out, 0)
	}
	le.PutUint32(out, magic)
	le.PutUint32(out[4:], flags)
	return out, nil
}

// shareable says whether two parts can stand in one file: they must agree in what the file layout calls shared
// attributes.
func shareable(first, p Part) error {
	if first.DisplayWindow != p.DisplayWindow || first.Aspect() != p.Aspect() {
		return fmt.Errorf("the display window and the pixel aspect are those of the first part, or the file cannot be")
	}
	for _, name := range []string{"timeCode", "chromaticities"} {
		if v := p.Attributes.Get(name); v != nil && v != first.Attributes.Get(name) {
			return fmt.Errorf("%s is that of the first part, or the file cannot be", name)
		}
	}
	return nil
}

// header returns a part's attributes and settles its chunks.
func (u *unfinished) header() ([]rawAttribute, error) {
	if err := u.check(); err != nil {
		return nil, err
	}
	attributes := slices.DeleteFunc(
		slices.Clone(u.Attributes),
		func(a imagefile.Attribute) bool { return a.Name == imagefile.DataSum },
	)
	u.Sum = u.Sum || len(attributes) < len(u.Attributes)
	own, err := rawAttributes(attributes)
	if err != nil {
		return nil, err
	}
	for i, c := range u.Channels {
		u.channels = append(u.channels, newChannel(c, i))
	}
	slices.SortFunc(u.channels, func(a, b channel) int { return strings.Compare(a.Name, b.Name) })
	across, down := u.grid()
	u.table = make([]int64, across*down)
	display := u.DisplayWindow
	if display.Empty() {
		display = u.DataWindow
	}
	float := func(v float64) []byte { return le.AppendUint32(nil, math.Float32bits(float32(v))) }
	header := []rawAttribute{
		{"channels", "chlist", u.channelBytes()},
		{"compression", "compression", []byte{byte(u.Compression)}},
		{"dataWindow", "box2i", appendBox(nil, u.DataWindow)},
		{"displayWindow", "box2i", appendBox(nil, display)},
		{"lineOrder", "lineOrder", []byte{0}},
		{"pixelAspectRatio", "float", float(u.Aspect())},
		{"screenWindowCenter", "v2f", make([]byte, 8)},
		{"screenWindowWidth", "float", float(1)},
	}
	kind := partScanLines
	if u.Tile != (image.Point{}) {
		kind = partTiles
		size := le.AppendUint32(le.AppendUint32(nil, uint32(u.Tile.X)), uint32(u.Tile.Y))
		header = append(header, rawAttribute{"tiles", "tiledesc", append(size, oneLevel)})
	}
	if u.Name != "" {
		header = append(header, rawAttribute{"name", "string", []byte(u.Name)})
	}
	if u.index >= 0 {
		header = append(
			header, rawAttribute{"type", "string", []byte(kind)},
			rawAttribute{"chunkCount", "int", le.AppendUint32(nil, uint32(len(u.table)))},
		)
	}
	if u.Loss > 0 {
		header = append(header, rawAttribute{"dwaCompressionLevel", "float", float(float64(u.Loss))})
	}
	if u.Sum && u.index <= 0 {
		header = append(header, rawAttribute{imagefile.DataSum, "string", blankSum})
	}
	return append(header, own...), nil
}

func (u *unfinished) check() error {
	if err := checkWindow(u.DataWindow); err != nil {
		return err
	}
	switch {
	case len(u.Channels) == 0 || len(u.Channels) > maxChannels:
		return fmt.Errorf("a part has 1 to %d channels, not %d", maxChannels, len(u.Channels))
	case u.Level < 0 || u.Level > 9:
		return fmt.Errorf("a deflate level of %d is outside 1 to 9", u.Level)
	case !(u.Loss >= 0) || u.Loss > 1e6:
		return fmt.Errorf("a loss of %v is outside 0 to a million", u.Loss)
	case !u.Compression.known():
		return fmt.Errorf("%s cannot be written", u.Compression)
	case u.Tile != (image.Point{}) && (u.Tile.X < 1 || u.Tile.Y < 1 || u.Tile.X > MaxEdge || u.Tile.Y > MaxEdge):
		return fmt.Errorf("tiles of %d × %d pixels cannot be written", u.Tile.X, u.Tile.Y)
	case u.Alpha == imagefile.Straight && !slices.ContainsFunc(u.Attributes, saysAlpha):
		return fmt.Errorf(
			"colour is premultiplied by the file layout; straight colour needs an attribute that ends in %q and says "+
				"so",
			alphaAttribute,
		)
	}
	seen := map[string]bool{}
	for _, c := range u.Channels {
		switch {
		case !validName(c.Name) || seen[c.Name]:
			return fmt.Errorf(
				"the channel name %q is empty, repeated, longer than %d bytes or has a zero byte", c.Name, longName,
			)
		case c.Type != imagefile.Half && c.Type != imagefile.Float && c.Type != imagefile.Uint32:
			return fmt.Errorf("channel %s is %s, which the file layout has not", c.Name, c.Type)
		case c.XSampling > 1 || c.YSampling > 1:
			return fmt.Errorf("channel %s is subsampled, which is not written", c.Name)
		}
		seen[c.Name] = true
	}
	return nil
}

// alphaAttribute ends the name of the attribute by which a file says that its colour is not premultiplied.
const alphaAttribute = ":alpha"

// channelBytes returns the channel list.
func (u *unfinished) channelBytes() []byte {
	var out []byte
	for _, c := range u.channels {
		out = append(append(out, c.Name...), 0)
		kind := map[imagefile.Type]uint32{imagefile.Half: typeHalf, imagefile.Float: typeFloat,
			imagefile.Uint32: typeUint}[c.Type]
		perceptual := byte(0)
		if c.Perceptual {
			perceptual = 1
		}
		out = append(le.AppendUint32(out, kind), perceptual, 0, 0, 0)
		out = le.AppendUint32(le.AppendUint32(out, 1), 1)
	}
	return append(out, 0)
}

// WriteLines takes the next lines of a part; see imagefile.Writer.
func (w *Writer) WriteLines(part, lines int, planes [][]byte) error {
	if w.err != nil {
		return w.err
	}
	if part < 0 || part >= len(w.parts) {
		return fmt.Errorf("exr: there is no part %d, only %d", part+1, len(w.parts))
	}
	u := w.parts[part]
	if err := u.CheckWrite(u.written+u.waiting, lines, planes); err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	if err := w.writeLines(u, lines, planes); err != nil {
		w.err = fmt.Errorf("exr: %w", err)
	}
	return w.err
}

// writeLines packs lines as they come where they fill chunks, and keeps the rest.
func (w *Writer) writeLines(u *unfinished, lines int, planes [][]byte) error {
	height := u.chunkSize().Y
	for y := 0; y < lines; {
		left := lines - y
		whole := left / height * height
		if u.written+left == u.Height() {
			whole = left
		}
		if u.waiting == 0 && whole > 0 {
			if err := w.writeBand(u, band{&u.part, u.written, u.written + whole, u.from(planes, y)}); err != nil {
				return err
			}
			u.written += whole
			y += whole
			continue
		}
		if u.planes == nil {
			u.planes = u.Planes(min(height, u.Height()))
		}
		n := min(left, height-u.waiting)
		for i, p := range u.from(planes, y) {
			line := u.Width() * u.Channels[i].Type.Size()
			copy(u.planes[i][u.waiting*line:], p[:n*line])
		}
		u.waiting += n
		y += n
		if u.waiting == height || u.written+u.waiting == u.Height() {
			if err := w.writeBand(u, band{&u.part, u.written, u.written + u.waiting, u.planes}); err != nil {
				return err
			}
			u.written += u.waiting
			u.waiting = 0
		}
	}
	return nil
}

// from returns planes without their first lines.
func (u *unfinished) from(planes [][]byte, lines int) [][]byte {
	if lines == 0 {
		return planes
	}
	rest := make([][]byte, len(planes))
	for i, c := range u.Channels {
		rest[i] = planes[i][lines*u.Width()*c.Type.Size():]
	}
	return rest
}

// writeBand packs whole chunks on all cores and writes them in their order, a batch at a time.
func (w *Writer) writeBand(u *unfinished, lines band) error {
	across, _ := u.grid()
	height := u.chunkSize().Y
	first, behind := lines.y0/height*across, (lines.y1+height-1)/height*across
	for first < behind {
		n := min(behind-first, batch*len(w.packers))
		for len(w.chunks) < n {
			w.chunks = append(w.chunks, nil)
		}
		if err := w.pack(u, lines, first, n); err != nil {
			return err
		}
		for i, c := range w.chunks[:n] {
			u.table[first+i] = w.at
			w.at += int64(len(c))
			w.sum.Write(c)
			if _, err := w.buffer.Write(c); err != nil {
				return err
			}
		}
		first += n
	}
	return nil
}

// pack fills chunks with those from first on, head and all ("Chunk Layout").
func (w *Writer) pack(u *unfinished, lines band, first, n int) error {
	var next atomic.Int64
	errs := make([]error, n)
	across, _ := u.grid()
	work := func(p *packer) {
		for i := int(next.Add(1) - 1); i < n; i = int(next.Add(1) - 1) {
			b := u.block(first + i)
			out := w.chunks[i][:0]
			if u.index >= 0 {
				out = le.AppendUint32(out, uint32(u.index))
			}
			if u.Tile == (image.Point{}) {
				out = le.AppendUint32(out, uint32(b.Min.Y))
			} else {
				out = le.AppendUint32(le.AppendUint32(out, uint32((first+i)%across)), uint32((first+i)/across))
				out = append(out, 0, 0, 0, 0, 0, 0, 0, 0) // level
			}
			var packed []byte
			packed, errs[i] = p.pack(b, lines)
			out = le.AppendUint32(out, uint32(len(packed)))
			w.chunks[i] = append(out, packed...)
		}
	}
	var wg sync.WaitGroup
	for _, p := range w.packers[1:min(n, len(w.packers))] {
		wg.Go(func() { work(p) })
	}
	work(w.packers[0])
	wg.Wait()
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// Close writes the offset tables. It is an error if lines are missing; the file is not to be used then.
func (w *Writer) Close() error {
	if w.err != nil {
		return w.err
	}
	var tables []byte
	for i, u := range w.parts {
		if u.written != u.Height() {
			return fmt.Errorf("exr: %d of %d lines of part %d were written", u.written+u.waiting, u.Height(), i+1)
		}
		for _, at := range u.table {
			tables = le.AppendUint64(tables, uint64(at))
		}
	}
	w.err = fmt.Errorf("exr: the file is closed")
	for _, p := range w.packers {
		packers.Put(p)
	}
	if err := w.buffer.Flush(); err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	if _, err := w.out.Seek(w.tables, io.SeekStart); err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	if _, err := w.out.Write(tables); err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	if w.sumAt > 0 {
		w.sum.Write(tables)
		if _, err := w.out.Seek(w.sumAt, io.SeekStart); err != nil {
			return fmt.Errorf("exr: %w", err)
		}
		if _, err := w.out.Write(sumText(w.sum)); err != nil {
			return fmt.Errorf("exr: %w", err)
		}
	}
	if _, err := w.out.Seek(0, io.SeekEnd); err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	return nil
}

// A Picture is a part with its samples.
type Picture struct {
	Part
	Planes [][]byte
}

// Encode writes a whole file to a stream that cannot go back: what it packs is kept until its tables are known.
func Encode(out io.Writer, pictures ...Picture) error {
	var parts []Part
	for _, p := range pictures {
		parts = append(parts, p.Part)
	}
	m := &memory{}
	defer m.free()
	w, err := NewWriter(m, parts...)
	if err != nil {
		return err
	}
	for i, p := range pictures {
		if err := w.WriteLines(i, p.Height(), p.Planes); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	for left := m.size; left > 0; {
		segment := m.segments[(m.size-left)/segmentBytes]
		n := min(left, segmentBytes)
		if _, err := out.Write(segment[:n]); err != nil {
			return fmt.Errorf("exr: %w", err)
		}
		left -= n
	}
	return nil
}

const segmentBytes = 1 << 20

var segments = sync.Pool{New: func() any { return new([segmentBytes]byte) }}

// memory is a file in memory, in segments that are used again.
type memory struct {
	segments []*[segmentBytes]byte
	at, size int
}

func (m *memory) Write(p []byte) (int, error) {
	total := len(p)
	for len(p) > 0 {
		if m.at/segmentBytes == len(m.segments) {
			m.segments = append(m.segments, segments.Get().(*[segmentBytes]byte))
		}
		n := copy(m.segments[m.at/segmentBytes][m.at%segmentBytes:], p)
		p = p[n:]
		m.at += n
	}
	m.size = max(m.size, m.at)
	return total, nil
}

func (m *memory) Seek(offset int64, whence int) (int64, error) {
	if whence == io.SeekEnd {
		offset += int64(m.size)
	}
	m.at = int(offset)
	return offset, nil
}

func (m *memory) free() {
	for _, s := range m.segments {
		segments.Put(s)
	}
}

// saysAlpha reports whether an attribute says how alpha is stored.
func saysAlpha(a imagefile.Attribute) bool { return strings.HasSuffix(a.Name, alphaAttribute) }
