package exr

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"runtime"
	"sync"
	"sync/atomic"

	"reelhouse/core/pixel"
)

// ErrFormat marks every error about what a file holds, as against errors of reading it.
var ErrFormat = errors.New("exr")

// Decode reads the first part of a file.
func Decode(r io.Reader) (*File, error) {
	parts, err := decode(r, 1)
	if err != nil {
		return nil, err
	}
	return parts[0], nil
}

// DecodeParts reads all parts of a file, in their order.
func DecodeParts(r io.Reader) ([]*File, error) { return decode(r, maxParts) }

func decode(r io.Reader, most int) ([]*File, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, fmt.Errorf("exr: %w", err)
	}
	d := &decoder{data: data}
	if err := d.decode(most); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	var files []*File
	for _, p := range d.parts[:min(most, len(d.parts))] {
		files = append(files, p.file)
	}
	return files, nil
}

// shrink is more than any compression can shrink anything by; a header that promises more pixels than the
// file can hold is refused before memory is taken for them.
const shrink = 1500

type decoder struct {
	data      []byte
	pos       int
	multiPart bool
	parts     []*part
}

// A block is the pixels of one chunk: columns x0 up to x1, lines y0 up to y1, from the corner of the data
// window.
type block struct {
	part           *part
	x0, y0, x1, y1 int
	data           []byte
}

func (d *decoder) decode(most int) error {
	if err := d.headers(); err != nil {
		return err
	}
	promised := int64(0)
	for _, p := range d.parts {
		promised += p.bytes()
	}
	if promised > int64(len(d.data))*shrink {
		return fmt.Errorf("%d bytes cannot hold the %d that its header promises", len(d.data), promised)
	}
	var blocks []block
	for i, p := range d.parts {
		found, err := d.blocks(i, p)
		if err != nil {
			if len(d.parts) > 1 {
				return fmt.Errorf("part %d: %w", i+1, err)
			}
			return err
		}
		if i < most {
			p.makePlanes()
			blocks = append(blocks, found...)
		}
	}
	return unpackAll(blocks)
}

// makePlanes takes the memory for the part's pixels.
func (p *part) makePlanes() {
	img := p.file.Image
	for _, c := range p.channels {
		img.Planes = append(img.Planes, pixel.Plane{Name: c.name, Half: c.kind == typeHalf, Data: make([]float32, img.Width*img.Height)})
	}
}

// unpackAll fills the planes from the blocks, on all cores. Blocks do not overlap.
func unpackAll(blocks []block) error {
	var next, failed atomic.Int64
	failed.Store(int64(len(blocks)))
	errs := make([]error, len(blocks))
	var wg sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), len(blocks)) {
		wg.Go(func() {
			var u unpacker
			for {
				i := next.Add(1) - 1
				if i >= failed.Load() { // nothing behind the first damage matters
					return
				}
				if errs[i] = u.block(blocks[i]); errs[i] != nil {
					for {
						first := failed.Load()
						if i >= first || failed.CompareAndSwap(first, i) {
							break
						}
					}
				}
			}
		})
	}
	wg.Wait()
	for i, err := range errs {
		if err != nil {
			return fmt.Errorf("chunk %d of %d: %w", i+1, len(blocks), err)
		}
	}
	return nil
}

// blocks reads a part's offset table and the heads of its chunks ("Offset Tables", "Chunk Layout"). Of a tiled
// part only the tiles of the full size are returned.
func (d *decoder) blocks(index int, p *part) ([]block, error) {
	count, err := p.chunkCount()
	if err != nil {
		return nil, err
	}
	if (len(d.data)-d.pos)/8 < count {
		return nil, fmt.Errorf("cut short in its offset table")
	}
	table := d.data[d.pos : d.pos+8*count]
	d.pos += 8 * count
	seen := map[[2]int]bool{}
	blocks := make([]block, 0, count)
	for i := range count {
		offset := binary.LittleEndian.Uint64(table[8*i:])
		b, full, err := d.chunk(offset, index, p)
		if err != nil {
			return nil, fmt.Errorf("chunk %d of %d: %w", i+1, count, err)
		}
		if !full {
			continue
		}
		if at := [2]int{b.x0, b.y0}; seen[at] {
			return nil, fmt.Errorf("chunk %d of %d: line %d, column %d stands there twice", i+1, count, b.y0, b.x0)
		} else {
			seen[at] = true
		}
		blocks = append(blocks, b)
	}
	return blocks, nil
}

// chunk reads the head of one chunk. It is not full if it is a tile of a reduced level.
func (d *decoder) chunk(offset uint64, index int, p *part) (b block, full bool, err error) {
	if offset > uint64(len(d.data)) {
		return b, false, fmt.Errorf("it is missing: the file is cut short or was not finished")
	}
	rest := d.data[offset:]
	number := func() int {
		if len(rest) < 4 {
			err = fmt.Errorf("it is missing: the file is cut short or was not finished")
			return 0
		}
		n := int(int32(binary.LittleEndian.Uint32(rest)))
		rest = rest[4:]
		return n
	}
	if d.multiPart {
		if of := number(); err == nil && of != index {
			return b, false, fmt.Errorf("it belongs to part %d", of+1)
		}
	}
	img := p.file.Image
	b.part, full = p, true
	if p.tiles != nil {
		column, row, levelX, levelY := number(), number(), number(), number()
		full = levelX == 0 && levelY == 0
		width, height := p.tiles.width, p.tiles.height
		if err == nil && full && (column < 0 || row < 0 || column > (img.Width-1)/width || row > (img.Height-1)/height) {
			return b, false, fmt.Errorf("tile %d, %d lies outside the picture", column, row)
		}
		b.x0, b.y0 = column*width, row*height
		b.x1, b.y1 = min(img.Width, b.x0+width), min(img.Height, b.y0+height)
	} else {
		lines := p.file.Compression.lines()
		first := number() - p.file.DataWindow.Min.Y
		if err == nil && (first < 0 || first >= img.Height || first%lines != 0) {
			return b, false, fmt.Errorf("its line %d lies outside the picture", first)
		}
		b.x1, b.y0, b.y1 = img.Width, first, min(img.Height, first+lines)
	}
	size := number()
	if err != nil {
		return b, false, err
	}
	if size < 0 || size > len(rest) {
		return b, false, fmt.Errorf("cut short")
	}
	b.data = rest[:size]
	return b, full, nil
}

// block unpacks one block and puts its values into the planes.
func (u *unpacker) block(b block) error {
	raw, err := u.unpack(b)
	if err != nil {
		return err
	}
	le := binary.LittleEndian
	img, corner := b.part.file.Image, b.part.file.DataWindow.Min
	for y := b.y0; y < b.y1; y++ {
		for i, c := range b.part.channels {
			if (corner.Y+y)%c.ySampling != 0 {
				continue // the line above is shown again, below
			}
			row := img.Planes[i].Data[y*img.Width : (y+1)*img.Width]
			n := c.samples(corner.X+b.x0, corner.X+b.x1)
			values := raw[:n*c.size()]
			raw = raw[n*c.size():]
			if c.xSampling == 1 {
				row = row[b.x0:b.x1]
				switch c.kind {
				case typeHalf:
					for x := range row {
						row[x] = pixel.FromHalf(le.Uint16(values[2*x:]))
					}
				case typeFloat:
					for x := range row {
						row[x] = math.Float32frombits(le.Uint32(values[4*x:]))
					}
				default:
					for x := range row {
						row[x] = float32(le.Uint32(values[4*x:]))
					}
				}
				continue
			}
			c.spread(row, values, corner.X, b.x0, b.x1)
		}
	}
	b.repeatLines()
	return nil
}

// spread puts each value of a subsampled line where it stands, and on the pixels to its right that have none.
func (c channel) spread(row []float32, values []byte, left, x0, x1 int) {
	le := binary.LittleEndian
	last := float32(0)
	for x := x0; x < x1; x++ {
		if (left+x)%c.xSampling == 0 {
			switch c.kind {
			case typeHalf:
				last = pixel.FromHalf(le.Uint16(values))
			case typeFloat:
				last = math.Float32frombits(le.Uint32(values))
			default:
				last = float32(le.Uint32(values))
			}
			values = values[c.size():]
		}
		row[x] = last
	}
}

// repeatLines shows lines of subsampled channels again on the lines below that have none, even if those lie in
// the next block: no other block writes them.
func (b block) repeatLines() {
	img, corner := b.part.file.Image, b.part.file.DataWindow.Min
	for i, c := range b.part.channels {
		if c.ySampling == 1 {
			continue
		}
		data := img.Planes[i].Data
		for y := b.y0; y < b.y1; y++ {
			// The lines up to the next one that the channel has, also beyond this block.
			if (corner.Y+y)%c.ySampling != 0 {
				continue
			}
			for below := y + 1; below < img.Height && (corner.Y+below)%c.ySampling != 0; below++ {
				copy(data[below*img.Width+b.x0:below*img.Width+b.x1], data[y*img.Width+b.x0:y*img.Width+b.x1])
			}
		}
	}
}
