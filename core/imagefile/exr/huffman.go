package exr

import (
	"encoding/binary"
	"fmt"
)

// The Huffman code of PIZ: canonical codes of up to 58 bits for 16-bit words, and one more symbol that repeats
// the word before it.
const (
	symbols       = wordValues + 1
	longestCode   = 58
	lengthBits    = 6
	shortZeroRun  = 59 // 59 to 62: 2 to 5 symbols without a code
	longZeroRun   = 63 // followed by 8 bits: 6 symbols and more without a code
	shortestLong  = 2 + longZeroRun - shortZeroRun
	runBits       = 8
	tableBits     = 12 // codes up to this length are looked up
	huffmanHeader = 20
)

// A huffman decodes; its tables are used again.
type huffman struct {
	lengths []byte
	quick   []quickCode
	// Of longer codes: by length, the first code, where its symbols begin, and how many there are.
	first   [longestCode + 2]uint64
	start   [longestCode + 2]int
	count   [longestCode + 2]int
	ordered []int32
}

type quickCode struct {
	symbol int32
	length byte // 0: longer than tableBits, or none
}

// A bitReader takes bits from the highest down.
type bitReader struct {
	data []byte
	hold uint64
	have int
	used int // bits taken
}

func (r *bitReader) take(n int) uint64 {
	r.fill(n)
	r.have -= n
	r.used += n
	return r.hold >> r.have & (1<<n - 1)
}

// fill makes at least n bits ready; behind the end there are zeros.
func (r *bitReader) fill(n int) {
	for r.have < n {
		next := byte(0)
		if len(r.data) > 0 {
			next, r.data = r.data[0], r.data[1:]
		}
		r.hold = r.hold<<8 | uint64(next)
		r.have += 8
	}
}

// peek returns the next n bits, up to 56, without taking them.
func (r *bitReader) peek(n int) uint64 {
	r.fill(n)
	return r.hold >> (r.have - n) & (1<<n - 1)
}

// decode fills out.
func (h *huffman) decode(out []uint16, in []byte) error {
	if len(in) < huffmanHeader {
		if len(in) == 0 && len(out) == 0 {
			return nil
		}
		return fmt.Errorf("damaged: it is cut short")
	}
	le := binary.LittleEndian
	low, high, tableSize, bits := int(le.Uint32(in)), int(le.Uint32(in[4:])), int(le.Uint32(in[8:])), int(le.Uint32(in[12:]))
	in = in[huffmanHeader:]
	if low >= symbols || high >= symbols || low > high || tableSize > len(in) {
		return fmt.Errorf("damaged: its code is out of range")
	}
	used, err := h.readLengths(in, low, high)
	if err != nil {
		return err
	}
	if in = in[used:]; bits > 8*len(in) {
		return fmt.Errorf("damaged: it is cut short")
	}
	if err := h.prepare(low, high); err != nil {
		return err
	}
	return h.words(out, in, bits, int32(high))
}

// readLengths reads the length of each symbol's code and returns the bytes that they took.
func (h *huffman) readLengths(in []byte, low, high int) (int, error) {
	if h.lengths == nil {
		h.lengths = make([]byte, symbols)
	}
	clear(h.lengths)
	r := bitReader{data: in}
	for i := low; i <= high; i++ {
		if r.used > 8*len(in) {
			return 0, fmt.Errorf("damaged: its code is cut short")
		}
		length := int(r.take(lengthBits))
		run := 0
		switch {
		case length == longZeroRun:
			run = int(r.take(8)) + shortestLong
		case length >= shortZeroRun:
			run = length - shortZeroRun + 2
		default:
			h.lengths[i] = byte(length)
			continue
		}
		if i+run > high+1 {
			return 0, fmt.Errorf("damaged: its code reaches too far")
		}
		i += run - 1
	}
	if used := (r.used + 7) / 8; used <= len(in) {
		return used, nil
	}
	return 0, fmt.Errorf("damaged: its code is cut short")
}

// prepare makes the canonical codes: the longest are the lowest, and among those of one length they rise with
// the symbol.
func (h *huffman) prepare(low, high int) error {
	clear(h.count[:])
	total := 0
	for _, l := range h.lengths[low : high+1] {
		if l > 0 {
			h.count[l]++
			total++
		}
	}
	code := uint64(0)
	place := 0
	for l := longestCode; l > 0; l-- {
		h.first[l], h.start[l] = code, place
		if code+uint64(h.count[l]) > 1<<l {
			return fmt.Errorf("damaged: its code has more words than fit")
		}
		place += h.count[l]
		code = (code + uint64(h.count[l])) >> 1
	}
	if cap(h.ordered) < total {
		h.ordered = make([]int32, symbols)
	}
	h.ordered = h.ordered[:cap(h.ordered)]
	next := h.start
	for i := low; i <= high; i++ {
		if l := h.lengths[i]; l > 0 {
			h.ordered[next[l]] = int32(i)
			next[l]++
		}
	}
	if h.quick == nil {
		h.quick = make([]quickCode, 1<<tableBits)
	}
	clear(h.quick)
	for l := 1; l <= tableBits; l++ {
		for k := range h.count[l] {
			from := (h.first[l] + uint64(k)) << (tableBits - l)
			for n := range uint64(1) << (tableBits - l) {
				if from+n < uint64(len(h.quick)) {
					h.quick[from+n] = quickCode{h.ordered[h.start[l]+k], byte(l)}
				}
			}
		}
	}
	return nil
}

// words decodes bits bits.
func (h *huffman) words(out []uint16, in []byte, bits int, repeat int32) error {
	r := bitReader{data: in}
	at := 0
	for r.used < bits && at < len(out) {
		symbol := int32(-1)
		if q := h.quick[r.peek(tableBits)]; q.length > 0 {
			symbol = q.symbol
			r.take(int(q.length))
		} else {
			code := uint64(0)
			long := r // bits are taken one by one; such codes are rare
			for l := 1; l <= longestCode; l++ {
				code = code<<1 | long.take(1)
				if l > tableBits && h.count[l] > 0 && code >= h.first[l] && code-h.first[l] < uint64(h.count[l]) {
					symbol = h.ordered[h.start[l]+int(code-h.first[l])]
					break
				}
			}
			r = long
		}
		switch {
		case symbol < 0:
			return fmt.Errorf("damaged: a word has no code")
		case symbol == repeat:
			n := int(r.take(runBits))
			if at == 0 || n > len(out)-at {
				return fmt.Errorf("damaged: a run reaches too far")
			}
			for range n {
				out[at] = out[at-1]
				at++
			}
		default:
			out[at] = uint16(symbol)
			at++
		}
	}
	if at < len(out) || r.used > bits {
		return fmt.Errorf("damaged: %d of %d words are missing", len(out)-at, len(out))
	}
	return nil
}
