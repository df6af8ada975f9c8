package exr

import (
	"encoding/binary"
	"math"
	"slices"

	"reelhouse/core/pixel"
)

// piz packs a chunk; see unpacker.piz.
func (e *chunkEncoder) piz(y0, y1 int) []byte {
	le := binary.LittleEndian
	width := e.file.Image.Width
	e.words = e.words[:0]
	for _, p := range e.planes {
		for _, v := range p.Data[y0*width : y1*width] {
			if p.Half {
				e.words = append(e.words, pixel.ToHalf(v))
			} else {
				bits := math.Float32bits(v)
				e.words = append(e.words, uint16(bits), uint16(bits>>16))
			}
		}
	}
	var bitmap [bitmapBytes]byte
	for _, w := range e.words {
		bitmap[w>>3] |= 1 << (w & 7)
	}
	bitmap[0] &^= 1 // zero is always there
	first, last := bitmapBytes-1, 0
	numbers := make([]uint16, wordValues)
	most := 0
	for v := 1; v < wordValues; v++ {
		if bitmap[v>>3]&(1<<(v&7)) != 0 {
			most++
			numbers[v] = uint16(most)
			first, last = min(first, v>>3), v>>3
		}
	}
	for i, w := range e.words {
		e.words[i] = numbers[w]
	}
	out := le.AppendUint16(le.AppendUint16(nil, uint16(first)), uint16(last))
	if first <= last {
		out = append(out, bitmap[first:last+1]...)
	}
	rest := e.words
	for _, p := range e.planes {
		per := 2
		if p.Half {
			per = 1
		}
		n := width * (y1 - y0) * per
		for k := range per {
			grid{rest[k:n], width, per, y1 - y0, width * per}.wavelet(most)
		}
		rest = rest[n:]
	}
	size := len(out)
	out = huffmanEncode(append(out, 0, 0, 0, 0), e.words)
	le.PutUint32(out[size:], uint32(len(out)-size-4))
	return out
}

// A bitWriter puts bits behind each other, the highest first.
type bitWriter struct {
	out  []byte
	hold uint64
	have int
	bits int
}

func (w *bitWriter) put(v uint64, n int) {
	w.bits += n
	for n > 32 { // hold has room for no more at once
		n -= 32
		w.put32(v>>n&0xffffffff, 32)
	}
	w.put32(v&(1<<n-1), n)
}

func (w *bitWriter) put32(v uint64, n int) {
	w.hold = w.hold<<n | v
	for w.have += n; w.have >= 8; w.have -= 8 {
		w.out = append(w.out, byte(w.hold>>(w.have-8)))
	}
}

// end fills up the last byte.
func (w *bitWriter) end() []byte {
	if w.have > 0 {
		w.out = append(w.out, byte(w.hold<<(8-w.have)))
		w.have = 0
	}
	return w.out
}

// huffmanEncode appends the code of the words; see huffman.decode.
func huffmanEncode(dst []byte, words []uint16) []byte {
	if len(words) == 0 {
		return dst
	}
	counts := make([]int, symbols)
	low, high := symbols, 0
	for _, w := range words {
		counts[w]++
		low, high = min(low, int(w)), max(high, int(w))
	}
	high++ // the symbol that repeats
	counts[high] = 1
	lengths := codeLengths(counts, low, high)
	codes := canonical(lengths, low, high)

	header := len(dst)
	table := bitWriter{out: append(dst, make([]byte, huffmanHeader)...)}
	for i := low; i <= high; i++ {
		zeros := 0
		for i+zeros <= high && lengths[i+zeros] == 0 && zeros < shortestLong+255 {
			zeros++
		}
		switch {
		case zeros >= shortestLong:
			table.put(longZeroRun, lengthBits)
			table.put(uint64(zeros-shortestLong), 8)
			i += zeros - 1
		case zeros >= 2:
			table.put(uint64(shortZeroRun+zeros-2), lengthBits)
			i += zeros - 1
		default:
			table.put(uint64(lengths[i]), lengthBits)
		}
	}
	dst = table.end()
	tableSize := len(dst) - header - huffmanHeader

	w := bitWriter{out: dst}
	send := func(word uint16, more int) { // the word, and more of the same
		code, length := codes[word], int(lengths[word])
		if length+int(lengths[high])+runBits < length*more {
			w.put(code, length)
			w.put(codes[high], int(lengths[high]))
			w.put(uint64(more), runBits)
			return
		}
		for range more + 1 {
			w.put(code, length)
		}
	}
	last, more := words[0], 0
	for _, word := range words[1:] {
		if word == last && more < 1<<runBits-1 {
			more++
			continue
		}
		send(last, more)
		last, more = word, 0
	}
	send(last, more)
	bits := w.bits
	dst = w.end()
	le := binary.LittleEndian
	for i, v := range []int{low, high, tableSize, bits, 0} {
		le.PutUint32(dst[header+4*i:], uint32(v))
	}
	return dst
}

// canonical returns each symbol's code; see huffman.prepare.
func canonical(lengths []byte, low, high int) []uint64 {
	var next [longestCode + 2]uint64
	for _, l := range lengths[low : high+1] {
		next[l]++
	}
	code := uint64(0)
	for l := longestCode; l > 0; l-- {
		code, next[l] = (code+next[l])>>1, code
	}
	codes := make([]uint64, len(lengths))
	for i := low; i <= high; i++ {
		if l := lengths[i]; l > 0 {
			codes[i] = next[l]
			next[l]++
		}
	}
	return codes
}

// codeLengths returns the length of each symbol's code by how often it stands: Huffman's method with two
// queues, one of symbols in order of their counts and one of pairs, which come in that order by themselves.
// Of two that stand as often the lower symbol comes first, so that the same words give the same code. Lengths
// stay far below longestCode: a code of n bits needs more words than the n-th Fibonacci number.
func codeLengths(counts []int, low, high int) []byte {
	var order []int32 // symbols, then pairs, as nodes
	for i := low; i <= high; i++ {
		if counts[i] > 0 {
			order = append(order, int32(i))
		}
	}
	slices.SortStableFunc(order, func(a, b int32) int { return counts[a] - counts[b] })
	leaves := len(order)
	weights := make([]int, leaves, 2*leaves)
	for i, symbol := range order {
		weights[i] = counts[symbol]
	}
	parents := make([]int32, 2*leaves)
	leaf, pair := 0, leaves
	least := func() int {
		if leaf < leaves && (pair >= len(weights) || weights[leaf] <= weights[pair]) {
			leaf++
			return leaf - 1
		}
		pair++
		return pair - 1
	}
	for range leaves - 1 {
		a, b := least(), least()
		parents[a], parents[b] = int32(len(weights)), int32(len(weights))
		weights = append(weights, weights[a]+weights[b])
	}
	depths := make([]byte, len(weights))
	lengths := make([]byte, len(counts))
	for node := len(weights) - 2; node >= 0; node-- { // parents come behind their children
		depths[node] = depths[parents[node]] + 1
		if node < leaves {
			lengths[order[node]] = depths[node]
		}
	}
	return lengths
}
