// Package exr reads and writes OpenEXR files, as "OpenEXR File Layout" (OpenEXR project, file version 2)
// lays them out.
//
// Written and read are scan-line and tiled files of one part or many, with half, float and unsigned integer
// channels and typed attributes, in every compression. Of files with levels the full size is read; subsampled
// channels are spread over their pixels. Deep files are refused by name.
//
// Both directions work on all cores, a batch of chunks at a time, so that a picture need never be in memory
// as a whole:
//
//	w, err := exr.NewWriter(file, exr.Part{Header: h, Compression: exr.ZIP})
//	for more lines { err = w.WriteLines(0, n, planes) }
//	err = w.Close()
package exr

import (
	"errors"
	"fmt"
	"image"

	"reelhouse/core/imagefile"
)

// ErrFormat marks every error about what a file holds, as against errors of reading it.
var ErrFormat = errors.New("exr")

// A Compression is one of the file layout's methods ("Compression", attribute type compression).
type Compression uint8

// The compressions.
const (
	None  Compression = iota
	RLE               // runs of bytes
	ZIPS              // deflate, one line at a time
	ZIP               // deflate, 16 lines at a time
	PIZ               // wavelets, 32 lines at a time
	PXR24             // deflate, floats to 24 bits, 16 lines at a time
	B44               // halves in blocks of 4 x 4, lossy, 32 lines at a time
	B44A              // the same, with flat blocks smaller
	DWAA              // cosines of blocks of 8 x 8, lossy, 32 lines at a time
	DWAB              // the same, 256 lines at a time
)

// Compressions returns all of them.
func Compressions() []Compression {
	return []Compression{None, RLE, ZIPS, ZIP, PIZ, PXR24, B44, B44A, DWAA, DWAB}
}

// Lossless reports whether every bit comes back.
func (c Compression) Lossless() bool { return c <= PIZ }

func (c Compression) known() bool { return c <= DWAB }

var compressionNames = []string{"none", "RLE", "ZIPS", "ZIP", "PIZ", "PXR24", "B44", "B44A", "DWAA", "DWAB"}

func (c Compression) String() string {
	if int(c) < len(compressionNames) {
		return compressionNames[c]
	}
	if name, known := unread[c]; known {
		return name
	}
	return fmt.Sprintf("unknown compression %d", uint8(c))
}

// unread are further compressions of the OpenEXR project, which are told by name; from memory.
var unread = map[Compression]string{10: "HTJ2K, 256 lines at a time", 11: "HTJ2K, 32 lines at a time"}

// lines returns how many scan lines one chunk holds.
func (c Compression) lines() int {
	switch c {
	case ZIP, PXR24:
		return 16
	case PIZ, B44, B44A, DWAA:
		return 32
	case DWAB:
		return 256
	}
	return 1
}

// A Part is a header and how its samples are stored.
type Part struct {
	imagefile.Header
	Compression Compression
	// Level is that of deflate, 1 to 9; 0 for the usual one. It is not known when read.
	Level int
	// Loss is the largest error of DWAA and DWAB, of a value's cosine coefficients, in 1/100 000; 0 for the usual one.
	Loss float32
	// Tile is the size of the tiles; the zero Point stands for scan lines.
	Tile image.Point
	// Sum, of the first part, writes the sum of the whole file (see imagefile.DataSum), as does an attribute of that
	// name.
	Sum bool
}

// Usual parameters.
const (
	usualLevel = 6 // at most 3 % larger than the files of the OpenEXR library, in half of its time
	usualLoss  = 45
)

// Pixel types of the channel list.
const (
	typeUint  = 0
	typeHalf  = 1
	typeFloat = 2
)

// The magic number, and the version field with its flags ("Version Field").
const (
	magic         = 20000630
	version       = 2
	versionMask   = 0xff
	flagTiled     = 1 << 9
	flagLongNames = 1 << 10
	flagDeep      = 1 << 11
	flagMultiPart = 1 << 12
	shortName     = 31
	longName      = 255
)

// Types of parts ("Part type", attribute type).
const (
	partScanLines     = "scanlineimage"
	partTiles         = "tiledimage"
	partDeepScanLines = "deepscanline"
	partDeepTiles     = "deeptile"
)

// Limits on what a header may ask for.
const (
	MaxEdge     = 1 << 20 // the longest edge of a window
	maxParts    = 1024
	maxChannels = 1024
	maxSampling = 64
)

// A channel is one of a part's, in the order of the file.
type channel struct {
	imagefile.Channel
	plane int // its place among the planes
	size  int // bytes of one sample
	xs    int // a sample at every xs columns
	ys    int // and ys lines
}

func newChannel(c imagefile.Channel, plane int) channel {
	return channel{c, plane, c.Type.Size(), max(1, c.XSampling), max(1, c.YSampling)}
}

// samples returns how many columns from x0 up to x1, counted as the data window counts, hold a value.
func (c channel) samples(x0, x1 int) int { return multiples(x0, x1, c.xs) }

// multiples returns how many whole multiples of n lie from a up to b.
func multiples(a, b, n int) int {
	if n == 1 {
		return b - a
	}
	return floorDiv(b-1, n) - floorDiv(a-1, n)
}

func floorDiv(a, n int) int {
	if a < 0 {
		return -((-a + n - 1) / n)
	}
	return a / n
}

// A block is the pixels of one chunk, in coordinates of the data window, with all channels in the order of the file.
type block struct {
	image.Rectangle
	channels    []channel
	compression Compression
}

// A layer is the samples of one channel in a block.
type layer struct {
	channel
	width, height int
}

func (b block) layers(layers []layer) []layer {
	layers = layers[:0]
	for _, c := range b.channels {
		layers = append(layers, layer{c, c.samples(b.Min.X, b.Max.X), multiples(b.Min.Y, b.Max.Y, c.ys)})
	}
	return layers
}

// bytes returns how many bytes the block has without compression.
func (b block) bytes() int {
	size := 0
	for _, c := range b.channels {
		size += c.size * c.samples(b.Min.X, b.Max.X) * multiples(b.Min.Y, b.Max.Y, c.ys)
	}
	return size
}

// eachRow visits the rows of all channels in the order of the uncompressed bytes: line by line, and in a line
// channel by channel. row counts within the channel.
func (b block) eachRow(layers []layer, visit func(channel, row int)) {
	rows := make([]int, len(layers))
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for i, l := range layers {
			if y%l.ys == 0 {
				visit(i, rows[i])
				rows[i]++
			}
		}
	}
}
