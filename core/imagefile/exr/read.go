package exr

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"runtime"
	"sync"
	"sync/atomic"

	"reelhouse/core/imagefile"
)

// A Reader reads one file. It may be used by many goroutines at once.
type Reader struct {
	in        io.ReaderAt
	size      int64
	multiPart bool
	parts     []*part
	tables    int64 // where the offset tables begin
	behind    int64 // and where they end
}

// unpackers are used again, by one file after the other.
var unpackers = sync.Pool{New: func() any { return &unpacker{} }}

// NewReader reads the headers and the offset tables of a file of size bytes. The planes of all its parts together
// may take no more than limit bytes; reading takes some chunks' worth of memory beside them.
func NewReader(in io.ReaderAt, size, limit int64) (*Reader, error) {
	r := &Reader{in: in, size: size}
	d := &headerReader{in: bufio.NewReaderSize(io.NewSectionReader(in, 0, size), 1<<16), left: size, room: limit}
	if err := r.open(d, limit); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	return r, nil
}

func (r *Reader) open(d *headerReader, limit int64) (err error) {
	if r.parts, r.multiPart, err = d.headers(); err != nil {
		return err
	}
	r.tables = r.size - d.left
	defer func() { r.behind = r.size - d.left }()
	for i, p := range r.parts {
		if err := r.openPart(d, p, limit); err != nil {
			return r.inPart(i, err)
		}
		limit -= p.Bytes()
	}
	return nil
}

// openPart reads a part's offset table ("Offset Tables"). Chunks of levels come behind those of the full size, and
// are left aside.
func (r *Reader) openPart(d *headerReader, p *part, limit int64) error {
	if err := p.Within(limit); err != nil {
		return err
	}
	count, err := p.chunkCount()
	if err != nil {
		return err
	}
	if int64(count) > d.left/8 {
		return fmt.Errorf("cut short in its offset table")
	}
	d.room += 8 * int64(count)
	data, err := d.bytes(8 * int64(count))
	if err != nil {
		return err
	}
	across, down := p.grid()
	p.table = make([]int64, across*down)
	for i := range p.table {
		p.table[i] = int64(le.Uint64(data[8*i:]))
	}
	return nil
}

// inPart says in which part of several an error is.
func (r *Reader) inPart(i int, err error) error {
	if len(r.parts) > 1 {
		return fmt.Errorf("part %d: %w", i+1, err)
	}
	return err
}

// Headers returns what the parts are.
func (r *Reader) Headers() []imagefile.Header {
	headers := make([]imagefile.Header, len(r.parts))
	for i, p := range r.parts {
		headers[i] = p.Header
	}
	return headers
}

// Part returns how a part is stored.
func (r *Reader) Part(i int) Part { return r.parts[i].Part }

// ReadLines fills planes with lines of a part; see imagefile.Reader. An error about what the file holds is an
// ErrFormat.
func (r *Reader) ReadLines(part, y0, y1 int, planes [][]byte) error {
	if part < 0 || part >= len(r.parts) {
		return fmt.Errorf("exr: there is no part %d, only %d", part+1, len(r.parts))
	}
	p := r.parts[part]
	if err := p.CheckLines(y0, y1, planes); err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	if y0 == y1 {
		return nil
	}
	above := p.firstSampled(y0)
	to := band{p, above, y1, planes}
	if above < y0 {
		to.planes = make([][]byte, len(planes))
		for i, c := range p.Channels {
			if planes[i] != nil {
				to.planes[i] = make([]byte, (y1-above)*p.Width()*c.Type.Size())
			}
		}
	}
	if err := r.readLines(part, to); err != nil {
		return fmt.Errorf("%w: %w", ErrFormat, r.inPart(part, err))
	}
	if above < y0 {
		for i, c := range p.Channels {
			if planes[i] != nil {
				copy(planes[i], to.planes[i][(y0-above)*p.Width()*c.Type.Size():])
			}
		}
	}
	return nil
}

// firstSampled returns the line, counted from the top of the data window, at which the samples of a line begin: those
// of a subsampled channel may stand above it.
func (p *part) firstSampled(line int) int {
	y := p.DataWindow.Min.Y + line
	first := line
	for _, c := range p.channels {
		first = min(first, line-((y%c.ys)+c.ys)%c.ys)
	}
	return max(0, first)
}

// readLines reads the chunks that the band touches, on all cores. Of several that are damaged the first is told.
func (r *Reader) readLines(part int, to band) error {
	across, _ := to.part.grid()
	height := to.part.chunkSize().Y
	first, behind := to.y0/height*across, ((to.y1-1)/height+1)*across
	var next, failed atomic.Int64
	next.Store(int64(first))
	failed.Store(int64(behind))
	errs := make([]error, behind-first)
	work := func() {
		u := unpackers.Get().(*unpacker)
		defer unpackers.Put(u)
		for {
			i := next.Add(1) - 1
			if i >= failed.Load() { // nothing behind the first damage matters
				return
			}
			if errs[i-int64(first)] = r.readChunk(u, part, int(i), to); errs[i-int64(first)] != nil {
				for at := failed.Load(); i < at && !failed.CompareAndSwap(at, i); at = failed.Load() {
				}
			}
		}
	}
	var wg sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), behind-first) - 1 {
		wg.Go(work)
	}
	work()
	wg.Wait()
	for i, err := range errs {
		if err != nil {
			return fmt.Errorf("chunk %d of %d: %w", first+i+1, len(to.part.table), err)
		}
	}
	return nil
}

func (r *Reader) readChunk(u *unpacker, part, i int, to band) error {
	b := to.part.block(i)
	packed, err := r.chunk(u, part, i, b)
	if err != nil {
		return err
	}
	raw, err := u.unpack(b, packed)
	if err != nil {
		return err
	}
	to.put(b, raw)
	return nil
}

// chunk returns the packed bytes of a chunk ("Chunk Layout").
func (r *Reader) chunk(u *unpacker, index, i int, b block) ([]byte, error) {
	p := r.parts[index]
	want := u.head[:0]
	if r.multiPart {
		want = le.AppendUint32(want, uint32(index))
	}
	if p.tiles == nil {
		want = le.AppendUint32(want, uint32(b.Min.Y))
	} else {
		across, _ := p.grid()
		want = le.AppendUint32(le.AppendUint32(want, uint32(i%across)), uint32(i/across))
		want = append(want, 0, 0, 0, 0, 0, 0, 0, 0) // level
	}
	got := u.head[len(want) : 2*len(want)+4]
	offset := p.table[i]
	if offset < 0 || offset > r.size-int64(len(got)) {
		return nil, fmt.Errorf("it is missing: the file is cut short or was not finished")
	}
	if _, err := r.in.ReadAt(got, offset); err != nil {
		return nil, err
	}
	if !bytes.Equal(got[:len(want)], want) {
		return nil, fmt.Errorf("another chunk stands in its place")
	}
	size := int64(int32(le.Uint32(got[len(want):])))
	offset += int64(len(got))
	switch {
	case size < 0 || size > r.size-offset:
		return nil, fmt.Errorf("cut short")
	case size > int64(b.bytes()):
		return nil, fmt.Errorf("damaged: %d bytes for %d of pixels", size, b.bytes())
	}
	u.packed = grown(u.packed, int(size))
	_, err := r.in.ReadAt(u.packed, offset)
	return u.packed, err
}

// A band is the lines y0 up to y1 of a part, counted from the top of its data window, and the planes that take them.
type band struct {
	part   *part
	y0, y1 int
	planes [][]byte
}

// put puts the lines of a block that lie in the band into the planes. raw is the block line by line, and in a
// line channel by channel.
func (to band) put(b block, raw []byte) {
	corner, width := to.part.DataWindow.Min, to.part.Width()
	for y := b.Min.Y; y < b.Max.Y; y++ {
		line := y - corner.Y - to.y0
		for _, c := range b.channels {
			if y%c.ys != 0 {
				continue // the line above is shown again, below
			}
			n := c.samples(b.Min.X, b.Max.X) * c.size
			values := raw[:n]
			raw = raw[n:]
			plane := to.planes[c.plane]
			if plane == nil || line < 0 || line >= to.y1-to.y0 {
				continue
			}
			row := plane[(line*width+b.Min.X-corner.X)*c.size:][:b.Dx()*c.size]
			if c.xs == 1 {
				copy(row, values)
			} else {
				c.spread(row, values, b.Min.X)
			}
			// Lines below that have no samples show this one, even those of the next block, which does not write them.
			for below := 1; below < c.ys && line+below < to.y1-to.y0; below++ {
				copy(plane[((line+below)*width+b.Min.X-corner.X)*c.size:], row)
			}
		}
	}
}

// spread puts each sample of a subsampled line where it stands, and on the pixels to its right that have none.
func (c channel) spread(row, values []byte, x int) {
	var last []byte
	for ; len(row) > 0; x, row = x+1, row[c.size:] {
		if x%c.xs == 0 {
			last, values = values[:c.size], values[c.size:]
		}
		copy(row, last)
	}
}

// ReadAll reads a whole file that is in memory.
func ReadAll(data []byte, limit int64) ([]imagefile.Part, error) {
	r, err := NewReader(bytes.NewReader(data), int64(len(data)), limit)
	if err != nil {
		return nil, err
	}
	return imagefile.ReadAll(r)
}
