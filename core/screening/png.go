package screening

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/adler32"
	"hash/crc32"
	"image"
	"io"
	"runtime"
	"sync"

	"github.com/klauspost/compress/flate"
)

// EncodePNG writes a picture without holes as a PNG file of 8 bits (W3C PNG, third edition), as quickly as it can: each
// value is told by its difference from the one on its left (filter type 1), and no better filter is looked for, which
// takes most of the time of the usual encoder.
func EncodePNG(w io.Writer, img *image.NRGBA) error {
	width, height := img.Rect.Dx(), img.Rect.Dy()
	var file bytes.Buffer
	file.WriteString("\x89PNG\r\n\x1a\n")
	header := binary.BigEndian.AppendUint32(nil, uint32(width))
	header = binary.BigEndian.AppendUint32(header, uint32(height))
	pngChunk(&file, "IHDR", append(header, 8, 2, 0, 0, 0)) // 8 bits of red, green and blue
	data, err := packed(img)
	if err != nil {
		return err
	}
	pngChunk(&file, "IDAT", data)
	pngChunk(&file, "IEND", nil)
	_, err = w.Write(file.Bytes())
	return err
}

// packed returns the lines of a picture as a zlib stream (RFC 1950). Bands of them are packed on all cores: each ends
// at a whole byte, and since nothing refers to what came before, the bands follow each other as they are.
func packed(img *image.NRGBA) ([]byte, error) {
	height, long := img.Rect.Dy(), 1+3*img.Rect.Dx()
	count := min(runtime.GOMAXPROCS(0), height)
	lines, bands, errs := make([]byte, height*long), make([]bytes.Buffer, count), make([]error, count)
	var group sync.WaitGroup
	for n := range count {
		group.Go(func() {
			first, behind := height*n/count, height*(n+1)/count
			for y := first; y < behind; y++ {
				pngLine(lines[y*long:(y+1)*long], img.Pix[y*img.Stride:])
			}
			packer, err := flate.NewWriter(&bands[n], flate.HuffmanOnly)
			if err == nil {
				_, err = packer.Write(lines[first*long : behind*long])
			}
			if err == nil && n < count-1 {
				err = packer.Flush()
			} else if err == nil {
				err = packer.Close()
			}
			errs[n] = err
		})
	}
	group.Wait()
	stream := []byte{0x78, 0x01}
	for _, band := range bands {
		stream = append(stream, band.Bytes()...)
	}
	return binary.BigEndian.AppendUint32(stream, adler32.Checksum(lines)), errors.Join(errs...)
}

// pngLine writes a line of red, green and blue, filtered.
func pngLine(line, from []byte) {
	line[0] = 1
	var r, g, b byte
	for x := range (len(line) - 1) / 3 {
		p, to := from[4*x:4*x+3:4*x+3], line[1+3*x:4+3*x:4+3*x]
		to[0], to[1], to[2] = p[0]-r, p[1]-g, p[2]-b
		r, g, b = p[0], p[1], p[2]
	}
}

// pngChunk writes a chunk: how long it is, what it is, what it holds, and a sum over both.
func pngChunk(file *bytes.Buffer, kind string, content []byte) {
	file.Write(binary.BigEndian.AppendUint32(nil, uint32(len(content))))
	sum := crc32.NewIEEE()
	both := io.MultiWriter(file, sum)
	io.WriteString(both, kind)
	both.Write(content)
	file.Write(binary.BigEndian.AppendUint32(nil, sum.Sum32()))
}
