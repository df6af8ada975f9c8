package store

import (
	"encoding/binary"
	"errors"
	"fmt"

	"github.com/klauspost/compress/zstd"
)

// A difference between two texts is what is left when their common beginning and end are taken away: the lengths of
// these, and what stands between in the new text, compressed with what stands between in the old one as its dictionary.

const (
	plainMiddle = iota
	packedMiddle
)

// leastPacked is the shortest text that is compressed, in bytes.
const leastPacked = 256

// windowBytes covers the largest middle whose repeats are found.
const windowBytes = 8 << 20

var errDelta = errors.New("a difference in the history is damaged")

// commonEnds returns how long the common beginning of two texts is, and the common end of the rest.
func commonEnds(a, b []byte) (start, end int) {
	n := min(len(a), len(b))
	for start < n && a[start] == b[start] {
		start++
	}
	for end < n-start && a[len(a)-1-end] == b[len(b)-1-end] {
		end++
	}
	return start, end
}

// differ returns the difference that leads from one text to another.
func differ(from, to []byte) ([]byte, error) {
	start, end := commonEnds(from, to)
	was, is := from[start:len(from)-end], to[start:len(to)-end]
	out := binary.AppendUvarint(nil, uint64(start))
	out = binary.AppendUvarint(out, uint64(end))
	if len(is) < leastPacked {
		return append(append(out, plainMiddle), is...), nil
	}
	options := []zstd.EOption{zstd.WithEncoderConcurrency(1), zstd.WithWindowSize(windowBytes)}
	if len(was) >= leastPacked {
		options = append(options, zstd.WithEncoderDictRaw(1, was[max(0, len(was)-windowBytes):]))
	}
	e, err := zstd.NewWriter(nil, options...)
	if err != nil {
		return nil, err
	}
	defer e.Close()
	return e.EncodeAll(is, append(out, packedMiddle)), nil
}

// patch returns the text that a difference leads to.
func patch(from, difference []byte) ([]byte, error) {
	start, n := binary.Uvarint(difference)
	if n <= 0 {
		return nil, errDelta
	}
	difference = difference[n:]
	end, n := binary.Uvarint(difference)
	if n <= 0 || len(difference) <= n || start+end < start || start+end > uint64(len(from)) {
		return nil, errDelta
	}
	kind, middle := difference[n], difference[n+1:]
	if kind == packedMiddle {
		options := []zstd.DOption{zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(1 << 30)}
		if was := from[start : uint64(len(from))-end]; len(was) >= leastPacked {
			options = append(options, zstd.WithDecoderDictRaw(1, was[max(0, len(was)-windowBytes):]))
		}
		d, err := zstd.NewReader(nil, options...)
		if err != nil {
			return nil, err
		}
		defer d.Close()
		if middle, err = d.DecodeAll(middle, nil); err != nil {
			return nil, fmt.Errorf("%w: %w", errDelta, err)
		}
	}
	out := make([]byte, 0, int(start+end)+len(middle))
	return append(append(append(out, from[:start]...), middle...), from[uint64(len(from))-end:]...), nil
}

// pack compresses a whole document.
func pack(text []byte) ([]byte, error) {
	e, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	defer e.Close()
	return e.EncodeAll(text, nil), nil
}

// unpack returns a whole document; documents of old records are not compressed.
func unpack(kept []byte) ([]byte, error) {
	if len(kept) > 0 && kept[0] == '{' {
		return kept, nil
	}
	d, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(1<<30))
	if err != nil {
		return nil, err
	}
	defer d.Close()
	text, err := d.DecodeAll(kept, nil)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errDelta, err)
	}
	return text, nil
}
