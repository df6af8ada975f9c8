// Package ifd reads and writes image file directories: the tagged values of TIFF 6.0 (section 2), in which Exif (CIPA
// DC-008) stores its facts, too.
package ifd

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"
)

// A Kind is the type of an entry's values.
type Kind uint16

// The kinds.
const (
	Byte      Kind = 1
	ASCII     Kind = 2
	Short     Kind = 3
	Long      Kind = 4
	Rational  Kind = 5
	Undefined Kind = 7
	Long8     Kind = 16 // of BigTIFF, as are the two after it
)

var sizes = map[Kind]int{
	1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8,
}

// An Entry is a tag with its values, in the bytes of its file.
type Entry struct {
	Tag   uint16
	Kind  Kind
	Count int
	Data  []byte
}

// A Directory is the entries of one image, and the order of bytes in them.
type Directory struct {
	Order   binary.ByteOrder
	Entries []Entry
}

// maxEntries is more than any image has.
const maxEntries = 4096

// A File is a file of directories: its bytes, their order, and whether offsets have 64 bits (BigTIFF, the TIFF
// library's design note of that name).
type File struct {
	Data  []byte
	Order binary.ByteOrder
	Big   bool
}

// Open reads the header of a file and returns where its first directory begins.
func Open(data []byte) (f File, first int, err error) {
	f = File{Data: data}
	switch {
	case len(data) < 8:
		return f, 0, fmt.Errorf("cut short in its header")
	case string(data[:4]) == "II\x2a\x00":
		f.Order = binary.LittleEndian
	case string(data[:4]) == "MM\x00\x2a":
		f.Order = binary.BigEndian
	case string(data[:4]) == "II\x2b\x00":
		f.Order, f.Big = binary.LittleEndian, true
	case string(data[:4]) == "MM\x00\x2b":
		f.Order, f.Big = binary.BigEndian, true
	default:
		return f, 0, fmt.Errorf("it does not begin as such a file does")
	}
	if !f.Big {
		return f, int(f.Order.Uint32(data[4:])), nil
	}
	if len(data) < 16 || f.Order.Uint16(data[4:]) != 8 {
		return f, 0, fmt.Errorf("offsets of another size than 8 bytes are not read")
	}
	return f, f.offset(8), nil
}

// offset returns the offset that stands at a place; one beyond any file is told as -1.
func (f File) offset(at int) int {
	if !f.Big {
		return int(f.Order.Uint32(f.Data[at:]))
	}
	if v := f.Order.Uint64(f.Data[at:]); v < math.MaxInt64 {
		return int(v)
	}
	return -1
}

// Read reads the directory at an offset, and where the next one is; 0 for none.
func (f File) Read(at int) (d Directory, next int, err error) {
	d.Order = f.Order
	data, order := f.Data, f.Order
	head, entry, word := 2, 12, 4 // bytes of the number of entries, of an entry, and of an offset
	if f.Big {
		head, entry, word = 8, 20, 8
	}
	if at < 8 || at > len(data)-head {
		return d, 0, fmt.Errorf("a directory at %d lies outside the file", at)
	}
	count := int(order.Uint16(data[at:]))
	if f.Big {
		count = int(min(order.Uint64(data[at:]), maxEntries+1))
	}
	at += head
	if count > maxEntries || len(data)-at < entry*count+word {
		return d, 0, fmt.Errorf("a directory is cut short")
	}
	for range count {
		e := Entry{Tag: order.Uint16(data[at:]), Kind: Kind(order.Uint16(data[at+2:])), Count: f.offset(at + 4)}
		if size, known := sizes[e.Kind]; known {
			if e.Count < 0 || e.Count > len(data) {
				return d, 0, fmt.Errorf("the values of tag %d lie outside the file", e.Tag)
			}
			bytes, from := size*e.Count, at+4+word
			if bytes > word {
				from = f.offset(from)
			}
			if from < 0 || from > len(data) || bytes > len(data)-from {
				return d, 0, fmt.Errorf("the values of tag %d lie outside the file", e.Tag)
			}
			e.Data = data[from : from+bytes]
			d.Entries = append(d.Entries, e)
		}
		at += entry
	}
	return d, f.offset(at), nil
}

// TagOrientation is that of how the first line and column lie; see imagefile.Part.Orient.
const TagOrientation = 274

// Orientation returns the orientation of Exif data, or 0 if they do not say it.
func Orientation(data []byte) int {
	f, at, err := Open(data)
	if err != nil {
		return 0
	}
	first, _, err := f.Read(at)
	if err != nil {
		return 0
	}
	return first.Int(TagOrientation, 0)
}

// find returns the entry of a tag, or nil.
func (d Directory) find(tag uint16) *Entry {
	if i := slices.IndexFunc(d.Entries, func(e Entry) bool { return e.Tag == tag }); i >= 0 {
		return &d.Entries[i]
	}
	return nil
}

// Ints returns the whole numbers of a tag, or nil.
func (d Directory) Ints(tag uint16) []int {
	e := d.find(tag)
	if e == nil {
		return nil
	}
	var values []int
	for i := range e.Count {
		switch e.Kind {
		case Byte:
			values = append(values, int(e.Data[i]))
		case Short:
			values = append(values, int(d.Order.Uint16(e.Data[2*i:])))
		case Long:
			values = append(values, int(d.Order.Uint32(e.Data[4*i:])))
		case Long8:
			values = append(values, int(min(d.Order.Uint64(e.Data[8*i:]), math.MaxInt64)))
		default:
			return nil
		}
	}
	return values
}

// Int returns the first whole number of a tag, or what it is without the tag.
func (d Directory) Int(tag uint16, otherwise int) int {
	if v := d.Ints(tag); len(v) > 0 {
		return v[0]
	}
	return otherwise
}

// Ratio returns the first fraction of a tag, or 0.
func (d Directory) Ratio(tag uint16) float64 {
	if v := d.Ratios(tag); len(v) > 0 {
		return v[0]
	}
	return 0
}

// Ratios returns the fractions of a tag, or nil. One that is divided by 0 is 0.
func (d Directory) Ratios(tag uint16) []float64 {
	e := d.find(tag)
	if e == nil || e.Kind != Rational {
		return nil
	}
	values := make([]float64, e.Count)
	for i := range values {
		if below := d.Order.Uint32(e.Data[8*i+4:]); below > 0 {
			values[i] = float64(d.Order.Uint32(e.Data[8*i:])) / float64(below)
		}
	}
	return values
}

// Text returns the text of a tag, or "".
func (d Directory) Text(tag uint16) string {
	e := d.find(tag)
	if e == nil || e.Kind != ASCII {
		return ""
	}
	text, _, _ := strings.Cut(string(e.Data), "\x00")
	return text
}

// AddInts appends whole numbers.
func (d *Directory) AddInts(tag uint16, kind Kind, values ...int) {
	var data []byte
	for _, v := range values {
		switch kind {
		case Short:
			data = binary.LittleEndian.AppendUint16(data, uint16(v))
		case Long:
			data = binary.LittleEndian.AppendUint32(data, uint32(v))
		default:
			data = append(data, byte(v))
		}
	}
	d.Entries = append(d.Entries, Entry{tag, kind, len(values), data})
}

// AddText appends text that is not empty.
func (d *Directory) AddText(tag uint16, text string) {
	if text != "" {
		data := append([]byte(strings.ReplaceAll(text, "\x00", "")), 0)
		d.Entries = append(d.Entries, Entry{tag, ASCII, len(data), data})
	}
}

// AddRatio appends fractions near to values, each of at least 0.
func (d *Directory) AddRatio(tag uint16, values ...float64) {
	var data []byte
	for _, v := range values {
		denominator := 1
		for denominator < 1e6 && v*float64(denominator) < 1e6 &&
			math.Abs(math.Round(v*float64(denominator))/float64(denominator)-v) > 1e-9*v {
			denominator *= 10
		}
		data = binary.LittleEndian.AppendUint32(data, uint32(math.Round(v*float64(denominator))))
		data = binary.LittleEndian.AppendUint32(data, uint32(denominator))
	}
	d.Entries = append(d.Entries, Entry{tag, Rational, len(values), data})
}

// Append appends the directory and its values, with the lower bytes first, to dst, whose byte 0 is at offset base of
// the file, and names where the next directory is.
func (d Directory) Append(dst []byte, base, next int) []byte {
	le := binary.LittleEndian
	entries := slices.Clone(d.Entries)
	slices.SortStableFunc(entries, func(a, b Entry) int { return int(a.Tag) - int(b.Tag) })
	values := base + len(dst) + 2 + 12*len(entries) + 4
	var behind []byte
	dst = le.AppendUint16(dst, uint16(len(entries)))
	for _, e := range entries {
		dst = le.AppendUint32(le.AppendUint16(le.AppendUint16(dst, e.Tag), uint16(e.Kind)), uint32(e.Count))
		if len(e.Data) <= 4 {
			dst = append(dst, append(slices.Clone(e.Data), make([]byte, 4-len(e.Data))...)...)
			continue
		}
		dst = le.AppendUint32(dst, uint32(values+len(behind)))
		behind = append(behind, e.Data...)
		if len(behind)%2 == 1 {
			behind = append(behind, 0) // values begin at even offsets
		}
	}
	return append(le.AppendUint32(dst, uint32(next)), behind...)
}
