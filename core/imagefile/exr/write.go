package exr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/klauspost/compress/zlib"

	"reelhouse/core/pixel"
)

// zipLevel is deflate's level: the step from 4 upwards costs more time than it saves disk.
const zipLevel = 4

// Encode writes the file. The same file gives the same bytes, however many cores there are.
func Encode(w io.Writer, f *File) error {
	if err := f.check(); err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	planes := slices.Clone(f.Image.Planes)
	slices.SortFunc(planes, func(a, b pixel.Plane) int { return strings.Compare(a.Name, b.Name) })
	header := f.header(planes)
	chunks, err := f.chunks(planes)
	if err != nil {
		return fmt.Errorf("exr: %w", err)
	}
	// Line offset table: where each chunk begins, from the start of the file.
	offset := uint64(len(header) + 8*len(chunks))
	for _, c := range chunks {
		header = binary.LittleEndian.AppendUint64(header, offset)
		offset += uint64(len(c))
	}
	for _, part := range slices.Concat([][]byte{header}, chunks) {
		if _, err := w.Write(part); err != nil {
			return fmt.Errorf("exr: %w", err)
		}
	}
	return nil
}

func (f *File) check() error {
	img := f.Image
	switch {
	case img == nil || img.Width < 1 || img.Height < 1 || img.Width > MaxEdge || img.Height > MaxEdge:
		return fmt.Errorf("an image of this size cannot be written")
	case len(img.Planes) == 0:
		return fmt.Errorf("an image without channels cannot be written")
	case f.Level < 0 || f.Level > 9:
		return fmt.Errorf("a deflate level of %d is outside 1 to 9", f.Level)
	case !f.Compression.writable():
		return fmt.Errorf("%s compression is not written", f.Compression)
	}
	seen := map[string]bool{}
	for _, p := range img.Planes {
		if p.Name == "" || len(p.Name) > longName || strings.ContainsRune(p.Name, 0) || seen[p.Name] {
			return fmt.Errorf("channel name %q is empty, repeated, too long or has a zero byte", p.Name)
		}
		if len(p.Data) != img.Width*img.Height {
			return fmt.Errorf("channel %s has %d values for %d x %d pixels", p.Name, len(p.Data), img.Width, img.Height)
		}
		seen[p.Name] = true
	}
	for _, a := range f.Attributes {
		if a.Name == "" || len(a.Name) > longName || a.Type == "" || len(a.Type) > longName || strings.ContainsRune(a.Name+a.Type, 0) {
			return fmt.Errorf("attribute %q of type %q has a name that cannot be written", a.Name, a.Type)
		}
	}
	return nil
}

func (f *File) pixelAspect() float32 {
	if f.PixelAspect == 0 {
		return 1
	}
	return f.PixelAspect
}

func (f *File) level() int {
	if f.Level == 0 {
		return zipLevel
	}
	return f.Level
}

// header returns everything before the offset table.
func (f *File) header(planes []pixel.Plane) []byte {
	le := binary.LittleEndian
	flags := uint32(version)
	var channels []byte
	for _, p := range planes {
		if len(p.Name) > shortName {
			flags |= flagLongNames
		}
		channels = append(append(channels, p.Name...), 0)
		kind := uint32(typeFloat)
		if p.Half {
			kind = typeHalf
		}
		channels = le.AppendUint32(channels, kind)
		channels = append(channels, 0, 0, 0, 0) // pLinear and three reserved bytes
		channels = le.AppendUint32(le.AppendUint32(channels, 1), 1)
	}
	channels = append(channels, 0)
	var window []byte
	for _, v := range []int{0, 0, f.Image.Width - 1, f.Image.Height - 1} {
		window = le.AppendUint32(window, uint32(v))
	}
	attributes := slices.Concat([]Attribute{
		{"channels", "chlist", channels},
		{"compression", "compression", []byte{byte(f.Compression)}},
		{"dataWindow", "box2i", window},
		{"displayWindow", "box2i", window},
		{"lineOrder", "lineOrder", []byte{0}},
		Float("pixelAspectRatio", f.pixelAspect()),
		{"screenWindowCenter", "v2f", make([]byte, 8)},
		Float("screenWindowWidth", 1),
	}, f.Attributes)
	for _, a := range attributes {
		if len(a.Name) > shortName || len(a.Type) > shortName {
			flags |= flagLongNames
		}
	}
	out := le.AppendUint32(le.AppendUint32(nil, magic), flags)
	for _, a := range attributes {
		out = append(append(out, a.Name...), 0)
		out = append(append(out, a.Type...), 0)
		out = append(le.AppendUint32(out, uint32(len(a.Value))), a.Value...)
	}
	return append(out, 0)
}

// chunks returns every scan-line chunk: its first line, its size, its bytes.
func (f *File) chunks(planes []pixel.Plane) ([][]byte, error) {
	lines := f.Compression.lines()
	count := (f.Image.Height + lines - 1) / lines
	chunks := make([][]byte, count)
	errs := make([]error, count)
	var wg sync.WaitGroup
	next := make(chan int)
	for range min(count, runtime.GOMAXPROCS(0)) {
		wg.Go(func() {
			e := chunkEncoder{file: f, planes: planes}
			for i := range next {
				chunks[i], errs[i] = e.encode(i*lines, min(f.Image.Height, (i+1)*lines))
			}
		})
	}
	for i := range count {
		next <- i
	}
	close(next)
	wg.Wait()
	return chunks, errFirst(errs)
}

func errFirst(errs []error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// A chunkEncoder keeps its buffers between chunks.
type chunkEncoder struct {
	file       *File
	planes     []pixel.Plane
	raw, split []byte
	runs       []byte
	words      []uint16
	packed     bytes.Buffer
	deflate    *zlib.Writer
}

func (e *chunkEncoder) encode(y0, y1 int) ([]byte, error) {
	le := binary.LittleEndian
	width := e.file.Image.Width
	e.raw = e.raw[:0]
	for y := y0; y < y1; y++ {
		for _, p := range e.planes {
			row := p.Data[y*width : (y+1)*width]
			if p.Half {
				for _, v := range row {
					e.raw = le.AppendUint16(e.raw, pixel.ToHalf(v))
				}
			} else {
				for _, v := range row {
					e.raw = le.AppendUint32(e.raw, math.Float32bits(v))
				}
			}
		}
	}
	body, err := e.pack(y0, y1)
	if err != nil {
		return nil, err
	}
	if len(body) >= len(e.raw) { // what does not shrink is stored as it is
		body = e.raw
	}
	chunk := le.AppendUint32(make([]byte, 0, 8+len(body)), uint32(y0))
	chunk = le.AppendUint32(chunk, uint32(len(body)))
	return append(chunk, body...), nil
}

// pack compresses the lines, which stand in raw.
func (e *chunkEncoder) pack(y0, y1 int) ([]byte, error) {
	switch e.file.Compression {
	case None:
		return e.raw, nil
	case RLE:
		e.predict()
		e.runs = run(e.runs[:0], e.split)
		return e.runs, nil
	case PIZ:
		return e.piz(y0, y1), nil
	case PXR24:
		e.pxr24(y0, y1)
	default:
		e.predict()
	}
	return e.deflated()
}

// predict puts raw into split, even bytes before odd ones, as differences.
func (e *chunkEncoder) predict() {
	e.split = slices.Grow(e.split[:0], len(e.raw))[:len(e.raw)]
	half := (len(e.raw) + 1) / 2
	for i, b := range e.raw {
		e.split[i/2+i%2*half] = b
	}
	for i := len(e.split) - 1; i > 0; i-- {
		e.split[i] = e.split[i] - e.split[i-1] + 128
	}
}

// deflated deflates split.
func (e *chunkEncoder) deflated() ([]byte, error) {
	e.packed.Reset()
	if e.deflate == nil {
		var err error
		if e.deflate, err = zlib.NewWriterLevel(&e.packed, e.file.level()); err != nil {
			return nil, err
		}
	} else {
		e.deflate.Reset(&e.packed)
	}
	if _, err := e.deflate.Write(e.split); err != nil {
		return nil, err
	}
	if err := e.deflate.Close(); err != nil {
		return nil, err
	}
	return e.packed.Bytes(), nil
}
