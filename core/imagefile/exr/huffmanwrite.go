package exr

import (
	"encoding/binary"
	"slices"
)

// A bitWriter puts bits behind each other, the highest first.
type bitWriter struct {
	out  []byte
	hold uint64 // the bits that are not in out yet, from the highest down
	have int    // fewer than 32
}

// put appends up to 32 bits.
func (w *bitWriter) put(v uint64, n int) {
	w.have += n
	w.hold |= v << (64 - w.have)
	if w.have >= 32 {
		w.out = binary.BigEndian.AppendUint32(w.out, uint32(w.hold>>32))
		w.hold <<= 32
		w.have -= 32
	}
}

// end fills up the last byte.
func (w *bitWriter) end() []byte {
	for ; w.have > 0; w.have -= 8 {
		w.out = append(w.out, byte(w.hold>>56))
		w.hold <<= 8
	}
	w.have, w.hold = 0, 0
	return w.out
}

// A huffmanWriter encodes; its tables are used again.
type huffmanWriter struct {
	counts  []int32 // by symbol
	lengths []byte
	codes   []uint64
	order   []int32
	bucket  [smallCounts + 1]int32
	weights []int32
	parents []int32
	depths  []byte
}

// encode appends the code and the words; see huffman.decode.
func (h *huffmanWriter) encode(dst []byte, words []uint16) []byte {
	if len(words) == 0 {
		return dst
	}
	h.counts = grown(h.counts, symbols)
	clear(h.counts)
	for _, w := range words {
		h.counts[w]++
	}
	low, high := 0, wordValues-1
	for h.counts[low] == 0 {
		low++
	}
	for h.counts[high] == 0 {
		high--
	}
	high++ // the symbol that repeats
	h.counts[high] = 1
	h.codeLengths(low, high)
	h.canonical(low, high)

	header := len(dst)
	dst = append(dst, make([]byte, huffmanHeader)...)
	dst = h.table(dst, low, high)
	tableSize := len(dst) - header - huffmanHeader
	dst, bits := h.words(dst, words, high)
	for i, v := range []int{low, high, tableSize, bits, 0} {
		le.PutUint32(dst[header+4*i:], uint32(v))
	}
	return dst
}

// table appends the lengths of the codes; see huffman.readLengths.
func (h *huffmanWriter) table(dst []byte, low, high int) []byte {
	w := bitWriter{out: dst}
	for i := low; i <= high; i++ {
		zeros := 0
		for i+zeros <= high && h.lengths[i+zeros] == 0 && zeros < shortestLong+255 {
			zeros++
		}
		switch {
		case zeros >= shortestLong:
			w.put(longZeroRun, lengthBits)
			w.put(uint64(zeros-shortestLong), 8)
			i += zeros - 1
		case zeros >= 2:
			w.put(uint64(shortZeroRun+zeros-2), lengthBits)
			i += zeros - 1
		default:
			w.put(uint64(h.lengths[i]), lengthBits)
		}
	}
	return w.end()
}

// words appends the codes of the words to dst, and returns how many bits they have. Several of the same are a word and
// a count, where that is shorter.
func (h *huffmanWriter) words(dst []byte, words []uint16, repeat int) ([]byte, int) {
	start := len(dst)
	most := 64
	for _, symbol := range h.order {
		most += int(h.counts[symbol]) * int(h.lengths[symbol])
	}
	dst = slices.Grow(dst, most/8+8)
	out := dst[start : start+most/8+8]
	hold, have, at := uint64(0), 0, 0 // have is below 8 between codes
	put := func(v uint64, n int) {
		if n > 56-8 { // more than hold has room for
			n -= 32
			hold |= v >> 32 << (64 - have - n)
			binary.BigEndian.PutUint64(out[at:], hold)
			have += n
			at += have >> 3
			hold <<= have &^ 7
			have &= 7
			v, n = v&0xffffffff, 32
		}
		hold |= v << (64 - have - n)
		binary.BigEndian.PutUint64(out[at:], hold)
		have += n
		at += have >> 3
		hold <<= have &^ 7
		have &= 7
	}
	codes, lengths := h.codes[:symbols], h.lengths[:symbols]
	repeatCode, repeatLength := codes[repeat], int(lengths[repeat])
	for i := 0; i < len(words); {
		word := words[i]
		i++
		code, length := codes[word], int(lengths[word])
		if i == len(words) || words[i] != word {
			put(code, length)
			continue
		}
		more := 1
		for i+more < len(words) && words[i+more] == word && more < 1<<runBits-1 {
			more++
		}
		i += more
		if length+repeatLength+runBits < length*more {
			put(code, length)
			put(repeatCode, repeatLength)
			put(uint64(more), runBits)
			continue
		}
		for range more + 1 {
			put(code, length)
		}
	}
	bits := 8*at + have
	return dst[:start+(bits+7)/8], bits
}

// canonical makes each symbol's code; see huffman.prepare.
func (h *huffmanWriter) canonical(low, high int) {
	var next [longestCode + 2]uint64
	for _, l := range h.lengths[low : high+1] {
		next[l]++
	}
	code := uint64(0)
	for l := longestCode; l > 0; l-- {
		code, next[l] = (code+next[l])>>1, code
	}
	h.codes = grown(h.codes, symbols)
	for i := low; i <= high; i++ {
		if l := h.lengths[i]; l > 0 {
			h.codes[i] = next[l]
			next[l]++
		}
	}
}

// Symbols that stand fewer times than this are put in order by counting.
const smallCounts = 1 << 11

// sort puts the symbols that occur in the order of their counts; of two that stand as often the lower comes first.
func (h *huffmanWriter) sort(low, high int) {
	counts := h.counts[low : high+1]
	clear(h.bucket[:])
	for _, c := range counts {
		h.bucket[min(c, smallCounts)]++
	}
	h.bucket[0] = 0
	total := int32(0)
	for i, n := range h.bucket {
		h.bucket[i] = total
		total += n
	}
	h.order = grown(h.order, int(total))
	large := h.bucket[smallCounts]
	for i, c := range counts {
		if c > 0 {
			at := &h.bucket[min(c, smallCounts)]
			h.order[*at] = int32(low + i)
			*at++
		}
	}
	slices.SortStableFunc(h.order[large:], func(a, b int32) int { return int(h.counts[a]) - int(h.counts[b]) })
}

// codeLengths finds the length of each symbol's code by how often it stands: Huffman's method with two
// queues, one of symbols in order of their counts and one of pairs, which come in that order by themselves.
// So the same words always give the same code. Lengths stay far below longestCode: a code of n bits needs more
// words than the n-th Fibonacci number.
func (h *huffmanWriter) codeLengths(low, high int) {
	h.sort(low, high)
	leaves := len(h.order)
	nodes := 2*leaves - 1
	h.weights, h.parents, h.depths = grown(h.weights, nodes), grown(h.parents, nodes), grown(h.depths, nodes)
	for i, symbol := range h.order {
		h.weights[i] = h.counts[symbol]
	}
	leaf, pair, made := 0, leaves, leaves
	least := func() int {
		if leaf < leaves && (pair >= made || h.weights[leaf] <= h.weights[pair]) {
			leaf++
			return leaf - 1
		}
		pair++
		return pair - 1
	}
	for ; made < nodes; made++ {
		a, b := least(), least()
		h.parents[a], h.parents[b] = int32(made), int32(made)
		h.weights[made] = h.weights[a] + h.weights[b]
	}
	h.depths[nodes-1] = 0
	h.lengths = grown(h.lengths, symbols)
	clear(h.lengths)
	for node := nodes - 2; node >= 0; node-- { // parents come behind their children
		h.depths[node] = h.depths[h.parents[node]] + 1
		if node < leaves {
			h.lengths[h.order[node]] = h.depths[node]
		}
	}
}
