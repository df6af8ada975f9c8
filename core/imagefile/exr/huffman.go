package exr

import (
	"encoding/binary"
	"fmt"
)

// The Huffman code of PIZ and DWA: canonical codes of up to 58 bits for 16-bit words, and one more symbol that
// repeats the word before it.
const (
	wordValues    = 1 << 16
	symbols       = wordValues + 1
	longestCode   = 58
	lengthBits    = 6
	shortZeroRun  = 59 // 59 to 62: 2 to 5 symbols without a code
	longZeroRun   = 63 // followed by 8 bits: 6 symbols and more without a code
	shortestLong  = 2 + longZeroRun - shortZeroRun
	runBits       = 8
	huffmanHeader = 20
)

// Codes up to tableBits are looked up, two at a time where two are so short; a full bitReader is enough for lookups of
// them.
const (
	tableBits = 13
	lookups   = 4
)

// An entry of the table: how many bits are taken, how many words they are, and the words.
const (
	entryBits   = 0x3f
	entryCount  = 8
	entryFirst  = 16
	entrySecond = 32
)

// A huffman decodes; its tables are used again.
type huffman struct {
	lengths []byte
	// entries of one word by the next tableBits bits; 0 for longer codes and for the symbol that repeats
	single []uint64
	quick  []uint64 // the same, of two words where they fit
	// Of each length: the first code, where its symbols begin, and how many there are.
	first   [longestCode + 2]uint64
	start   [longestCode + 2]int
	count   [longestCode + 2]int
	longest int
	ordered []int32
	repeat  struct { // what repeats the word before it, if its code is short
		symbol int32
		code   uint64
		length int
	}
}

// A bitReader takes bits from the highest down. Behind the end of data there are zeros.
type bitReader struct {
	data []byte
	pos  int    // the next byte
	hold uint64 // the next bits, from the highest down
	have int
}

// fill makes at least 56 bits ready.
func (r *bitReader) fill() {
	if r.pos+8 <= len(r.data) {
		r.hold |= binary.BigEndian.Uint64(r.data[r.pos:]) >> r.have
		n := (63 - r.have) >> 3
		r.pos += n
		r.have += 8 * n
		return
	}
	for r.have <= 56 {
		if r.pos < len(r.data) {
			r.hold |= uint64(r.data[r.pos]) << (56 - r.have)
		}
		r.pos++
		r.have += 8
	}
}

// take takes n bits, of those that are ready.
func (r *bitReader) take(n int) uint64 {
	v := r.hold >> (64 - n)
	r.skip(n)
	return v
}

func (r *bitReader) skip(n int) {
	r.hold <<= n
	r.have -= n
}

// used returns how many bits were taken.
func (r *bitReader) used() int { return 8*r.pos - r.have }

// decode fills out.
func (h *huffman) decode(out []uint16, in []byte) error {
	if len(in) < huffmanHeader {
		if len(in) == 0 && len(out) == 0 {
			return nil
		}
		return fmt.Errorf("damaged: it is cut short")
	}
	low, high, tableSize, count := int(le.Uint32(in)), int(le.Uint32(in[4:])), int(le.Uint32(in[8:])), int(
		le.Uint32(in[12:]),
	)
	in = in[huffmanHeader:]
	if low >= symbols || high >= symbols || low > high || tableSize > len(in) {
		return fmt.Errorf("damaged: its code is out of range")
	}
	used, err := h.readLengths(in, low, high)
	if err != nil {
		return err
	}
	if in = in[used:]; count > 8*len(in) {
		return fmt.Errorf("damaged: it is cut short")
	}
	if err := h.prepare(low, high); err != nil {
		return err
	}
	return h.words(out, in, count, int32(high))
}

// readLengths reads the length of each symbol's code and returns the bytes that they took.
func (h *huffman) readLengths(in []byte, low, high int) (int, error) {
	h.lengths = grown(h.lengths, symbols)
	clear(h.lengths)
	r := bitReader{data: in}
	for i := low; i <= high; i++ {
		if r.used() > 8*len(in) {
			return 0, fmt.Errorf("damaged: its code is cut short")
		}
		r.fill()
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
	if used := (r.used() + 7) / 8; used <= len(in) {
		return used, nil
	}
	return 0, fmt.Errorf("damaged: its code is cut short")
}

// prepare makes the canonical codes: the longest are the lowest, and among those of one length they rise with
// the symbol.
func (h *huffman) prepare(low, high int) error {
	clear(h.count[:])
	for _, l := range h.lengths[low : high+1] {
		h.count[l]++
	}
	h.count[0] = 0
	code := uint64(0)
	place := 0
	h.longest = 0
	for l := longestCode; l > 0; l-- {
		h.first[l], h.start[l] = code, place
		if code+uint64(h.count[l]) > 1<<l {
			return fmt.Errorf("damaged: its code has more words than fit")
		}
		if h.count[l] > 0 && h.longest == 0 {
			h.longest = l
		}
		place += h.count[l]
		code = (code + uint64(h.count[l])) >> 1
	}
	h.ordered = grown(h.ordered, place)
	next := h.start
	for i := low; i <= high; i++ {
		if l := h.lengths[i]; l > 0 {
			h.ordered[next[l]] = int32(i)
			next[l]++
		}
	}
	h.single, h.quick = grown(h.single, 1<<tableBits), grown(h.quick, 1<<tableBits)
	clear(h.single)
	h.repeat.length = longestCode
	for l := 1; l <= tableBits; l++ {
		for k := range h.count[l] {
			from := (h.first[l] + uint64(k)) << (tableBits - l)
			if from >= 1<<tableBits {
				break
			}
			symbol := h.ordered[h.start[l]+k]
			if int(symbol) == high {
				h.repeat.symbol, h.repeat.code, h.repeat.length = symbol, h.first[l]+uint64(k), l
				continue
			}
			entry := uint64(symbol)<<entryFirst | 1<<entryCount | uint64(l)
			same := h.single[from:min(1<<tableBits, from+1<<(tableBits-l))]
			for i := range same {
				same[i] = entry
			}
		}
	}
	for i, entry := range h.single {
		if used := entry & entryBits; entry != 0 {
			second := h.single[uint64(i)<<used&(1<<tableBits-1)]
			if both := used + second&entryBits; second != 0 && both <= tableBits {
				entry = entry&^entryBits + 1<<entryCount | both | second>>entryFirst<<entrySecond
			}
		}
		h.quick[i] = entry
	}
	return nil
}

// words decodes count bits.
func (h *huffman) words(out []uint16, in []byte, count int, repeat int32) error {
	r := bitReader{data: in}
	at := 0
	for at < len(out) {
		if at = h.short(&r, out, at); at == len(out) {
			break
		}
		symbol := h.symbol(&r)
		if symbol < 0 {
			return fmt.Errorf("damaged: a word has no code")
		}
		if symbol != repeat {
			out[at] = uint16(symbol)
			at++
			continue
		}
		r.fill()
		more := int(r.take(runBits))
		if at == 0 || more > len(out)-at || r.used() > count {
			return fmt.Errorf("damaged: a run reaches too far")
		}
		run, word := out[at:at+more], out[at-1]
		for i := range run {
			run[i] = word
		}
		at += more
	}
	if r.used() > count {
		return fmt.Errorf("damaged: it is cut short")
	}
	return nil
}

// short decodes words from out[at] on as long as they have short codes and there is room, and returns where it came to.
func (h *huffman) short(r *bitReader, out []uint16, at int) int {
	quick := (*[1 << tableBits]uint64)(h.quick)
	for at+2*lookups <= len(out) {
		r.fill()
		hold, have := r.hold, r.have
		next := out[at : at+2*lookups]
		n := 0
		entry := uint64(0)
		for range lookups {
			if entry = quick[hold>>(64-tableBits)]; entry == 0 {
				break
			}
			next[n] = uint16(entry >> entryFirst)
			next[n+1] = uint16(entry >> entrySecond) // which the next one replaces if there is no second
			n += int(entry >> entryCount & 3)
			hold <<= entry & entryBits
			have -= int(entry & entryBits)
		}
		r.hold, r.have = hold, have
		at += n
		if entry == 0 {
			return at
		}
	}
	return at
}

// symbol takes one code and returns its symbol, or -1. A code is of the first length at which it is no lower than that
// length's first code, as longer codes are lower.
func (h *huffman) symbol(r *bitReader) int32 {
	r.fill()
	if entry := h.single[r.hold>>(64-tableBits)]; entry != 0 {
		r.skip(int(entry & entryBits))
		return int32(entry >> entryFirst)
	}
	if l := h.repeat.length; l <= tableBits && r.hold>>(64-l) == h.repeat.code {
		r.skip(l)
		return h.repeat.symbol
	}
	for l := tableBits + 1; l <= h.longest; l++ {
		code := r.hold >> (64 - l)
		if l > 56 { // more than fill promises
			code = r.peek(l)
		}
		if k := code - h.first[l]; code >= h.first[l] && k < uint64(h.count[l]) {
			r.drop(l)
			return h.ordered[h.start[l]+int(k)]
		}
	}
	return -1
}

// peek returns n bits, which may be more than are ready.
func (r *bitReader) peek(n int) uint64 {
	at := r.used()
	v := uint64(0)
	for i := range n {
		bit := uint64(0)
		if p := at + i; p>>3 < len(r.data) {
			bit = uint64(r.data[p>>3] >> (7 - p&7) & 1)
		}
		v = v<<1 | bit
	}
	return v
}

// drop takes n bits, which may be more than are ready.
func (r *bitReader) drop(n int) {
	if n <= r.have {
		r.skip(n)
		return
	}
	at := r.used() + n
	r.pos, r.hold, r.have = at>>3, 0, 0
	r.fill()
	r.skip(at & 7)
}
