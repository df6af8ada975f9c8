package pass

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"math/bits"
)

// ID returns the number that stands for a name in a Cryptomatte: MurmurHash3 (x86, 32 bit, seed 0; Austin Appleby,
// public domain) of its UTF-8 bytes, with exponents that no float can have turned into ones that it can, as the
// specification's appendix "uint32_to_float32" has it.
func ID(name string) float32 {
	n := murmur3([]byte(name))
	if exponent := n >> 23 & 255; exponent == 0 || exponent == 255 {
		n ^= 1 << 23
	}
	return math.Float32frombits(n)
}

// IDText returns the eight hexadecimal digits by which a manifest names an ID.
func IDText(name string) string { return fmt.Sprintf("%08x", math.Float32bits(ID(name))) }

// LayerKey returns the seven digits that a Cryptomatte layer's attributes go by.
func (p Pass) LayerKey() string { return fmt.Sprintf("%08x", murmur3([]byte(p.Layer)))[:7] }

// Manifest returns a Cryptomatte's manifest: a JSON object from names to IDs.
func Manifest(names []string) string {
	all := map[string]string{}
	for _, name := range names {
		all[name] = IDText(name)
	}
	text, err := json.Marshal(all)
	if err != nil {
		return "{}" // plain texts
	}
	return string(text)
}

func murmur3(data []byte) uint32 {
	const c1, c2 = 0xcc9e2d51, 0x1b873593
	h, n := uint32(0), len(data)
	for ; len(data) >= 4; data = data[4:] {
		h ^= bits.RotateLeft32(binary.LittleEndian.Uint32(data)*c1, 15) * c2
		h = bits.RotateLeft32(h, 13)*5 + 0xe6546b64
	}
	k := uint32(0)
	for i := len(data) - 1; i >= 0; i-- {
		k = k<<8 | uint32(data[i])
	}
	if len(data) > 0 {
		h ^= bits.RotateLeft32(k*c1, 15) * c2
	}
	h ^= uint32(n)
	h = (h ^ h>>16) * 0x85ebca6b
	h = (h ^ h>>13) * 0xc2b2ae35
	return h ^ h>>16
}
