package exr

// RLE and deflate work on bytes that were put apart, those at even places before those at odd ones, and then
// each replaced by its difference to the one before it, plus 128. Eight bytes are worked on at a time.

const (
	low7  = 0x7f7f7f7f7f7f7f7f
	high1 = 0x8080808080808080
	even8 = 0x00ff00ff00ff00ff
	even4 = 0x0000ffff0000ffff
)

// addBytes adds eight bytes to eight, each for itself.
func addBytes(a, b uint64) uint64 { return (a&low7 + b&low7) ^ (a^b)&high1 }

// undifference turns differences plus 128 into sums.
func undifference(b []byte) {
	last := uint64(128) // so that the first byte stays as it is
	i := 0
	for ; i+8 <= len(b); i += 8 {
		v := le.Uint64(b[i:]) ^ high1 // adding 128 is turning the highest bit
		v = addBytes(v, v<<8)
		v = addBytes(v, v<<16)
		v = addBytes(v, v<<32)
		v = addBytes(v, last*0x0101010101010101)
		le.PutUint64(b[i:], v)
		last = v >> 56
	}
	for ; i < len(b); i++ {
		last = (last + uint64(b[i]) + 128) & 0xff
		b[i] = byte(last)
	}
}

// difference undoes undifference.
func difference(b []byte) {
	i := len(b)
	for ; i >= 9; i -= 8 {
		v, before := le.Uint64(b[i-8:]), le.Uint64(b[i-9:])
		// a - b, byte by byte, and 128 more
		le.PutUint64(b[i-8:], ((v|high1)-(before&low7))^(v^before)&high1)
	}
	for i--; i > 0; i-- {
		b[i] = b[i] - b[i-1] + 128
	}
}

// interleave puts the first half of in at even places and the rest at odd ones.
func interleave(out, in []byte) {
	half := (len(in) + 1) / 2
	first, second := in[:half], in[half:]
	i := 0
	for ; i+8 <= len(second); i += 8 {
		a, b := le.Uint64(first[i:]), le.Uint64(second[i:])
		le.PutUint64(out[2*i:], apart(a)|apart(b)<<8)
		le.PutUint64(out[2*i+8:], apart(a>>32)|apart(b>>32)<<8)
	}
	for ; i < half; i++ {
		out[2*i] = first[i]
		if i < len(second) {
			out[2*i+1] = second[i]
		}
	}
}

// apart puts the lower four bytes at even places.
func apart(v uint64) uint64 {
	v &= 0xffffffff
	v = (v | v<<16) & even4
	return (v | v<<8) & even8
}

// together undoes apart: the bytes at even places become the lower four.
func together(v uint64) uint64 {
	v &= even8
	v = (v | v>>8) & even4
	return (v | v>>16) & 0xffffffff
}

// separate undoes interleave.
func separate(out, in []byte) {
	half := (len(in) + 1) / 2
	first, second := out[:half], out[half:]
	i := 0
	for ; i+8 <= len(second); i += 8 {
		a, b := le.Uint64(in[2*i:]), le.Uint64(in[2*i+8:])
		le.PutUint64(first[i:], together(a)|together(b)<<32)
		le.PutUint64(second[i:], together(a>>8)|together(b>>8)<<32)
	}
	for ; i < half; i++ {
		first[i] = in[2*i]
		if i < len(second) {
			second[i] = in[2*i+1]
		}
	}
}
