package scene

import (
	"encoding/binary"
	"fmt"
	"math"

	"github.com/qmuntal/gltf"

	"reelhouse/core/geom"
)

// maxElements bounds what one accessor without data of its own may ask for.
const maxElements = 1 << 28

var components = map[gltf.AccessorType]int{
	gltf.AccessorScalar: 1, gltf.AccessorVec2: 2, gltf.AccessorVec3: 3, gltf.AccessorVec4: 4, gltf.AccessorMat2: 4,
	gltf.AccessorMat3: 9, gltf.AccessorMat4: 16,
}

// A list is the elements of an accessor as they stand in the file.
type list struct {
	data      []byte
	count     int
	stride    int // bytes from one element to the next
	width     int // components of an element
	size      int // bytes of a component
	component gltf.ComponentType
	scaled    bool // whole numbers stand for 0 to 1, or -1 to 1
	sparse    map[int][]byte
}

// span returns bytes of a buffer view.
func (r *reader) span(view, offset int) (data []byte, stride int, err error) {
	if view < 0 || view >= len(r.doc.BufferViews) {
		return nil, 0, fmt.Errorf("buffer view %d does not exist", view)
	}
	v := r.doc.BufferViews[view]
	if v.Buffer < 0 || v.Buffer >= len(r.doc.Buffers) {
		return nil, 0, fmt.Errorf("buffer view %d: buffer %d does not exist", view, v.Buffer)
	}
	data = r.doc.Buffers[v.Buffer].Data
	if v.ByteOffset < 0 || v.ByteLength < 0 || v.ByteStride < 0 || v.ByteOffset > len(data) ||
		v.ByteLength > len(data)-v.ByteOffset {
		return nil, 0, fmt.Errorf("buffer view %d reaches past the end of its buffer", view)
	}
	data = data[v.ByteOffset : v.ByteOffset+v.ByteLength]
	if offset < 0 || offset > len(data) {
		return nil, 0, fmt.Errorf("an offset of %d bytes lies outside buffer view %d", offset, view)
	}
	return data[offset:], v.ByteStride, nil
}

// list returns the elements of accessor i, which is of one of the kinds, after holding its span against the data that
// is there.
func (r *reader) list(i int, kinds ...gltf.AccessorType) (list, error) {
	if i < 0 || i >= len(r.doc.Accessors) {
		return list{}, fmt.Errorf("accessor %d does not exist", i)
	}
	a := r.doc.Accessors[i]
	fits := false
	for _, k := range kinds {
		fits = fits || k == a.Type
	}
	if !fits {
		return list{}, fmt.Errorf("accessor %d is of another type, %v", i, a.Type)
	}
	l := list{count: a.Count, width: components[a.Type], component: a.ComponentType, scaled: a.Normalized}
	l.size = gltf.SizeOfElement(l.component, gltf.AccessorScalar) // which is slow, and so not asked for each number
	element := l.element()
	if l.count < 1 || l.count > maxElements {
		return list{}, fmt.Errorf("accessor %d: %d elements cannot be read", i, l.count)
	}
	if l.stride = element; a.BufferView != nil {
		data, stride, err := r.span(*a.BufferView, a.ByteOffset)
		if err != nil {
			return list{}, fmt.Errorf("accessor %d: %w", i, err)
		}
		l.data, l.stride = data, max(stride, element)
		if int64(l.stride)*int64(l.count-1)+int64(element) > int64(len(data)) {
			return list{}, fmt.Errorf("accessor %d: %d elements do not fit its buffer view", i, l.count)
		}
	}
	if err := r.spent.elements(l, a.BufferView != nil); err != nil {
		return list{}, fmt.Errorf("accessor %d: %w", i, err)
	}
	if a.Sparse != nil {
		if err := r.spread(&l, a.Sparse); err != nil {
			return list{}, fmt.Errorf("accessor %d: %w", i, err)
		}
	}
	return l, nil
}

func (l *list) element() int { return l.width * l.size }

// spread reads the elements that stand apart (glTF 2.0, section 3.6.2.3).
func (r *reader) spread(l *list, s *gltf.Sparse) error {
	size := gltf.SizeOfElement(s.Indices.ComponentType, gltf.AccessorScalar)
	indices, _, err := r.span(s.Indices.BufferView, s.Indices.ByteOffset)
	if err != nil {
		return fmt.Errorf("sparse indices: %w", err)
	}
	values, _, err := r.span(s.Values.BufferView, s.Values.ByteOffset)
	if err != nil {
		return fmt.Errorf("sparse values: %w", err)
	}
	if s.Count < 1 || s.Count > l.count || int64(s.Count)*int64(size) > int64(len(indices)) ||
		int64(s.Count)*int64(l.element()) > int64(len(values)) {
		return fmt.Errorf("%d sparse elements do not fit their buffer views", s.Count)
	}
	l.sparse = map[int][]byte{}
	for k := range s.Count {
		at := int(whole(indices[k*size:], s.Indices.ComponentType))
		if at >= l.count {
			return fmt.Errorf("sparse element %d is beyond its %d elements", at, l.count)
		}
		l.sparse[at] = values[k*l.element():][:l.element()]
	}
	return nil
}

// at returns the bytes of an element, nil if it is zero.
func (l *list) at(i int) []byte {
	if l.sparse != nil {
		if data, ok := l.sparse[i]; ok {
			return data
		}
	}
	if l.data == nil {
		return nil
	}
	return l.data[i*l.stride:]
}

// numbers fills to with the components of element i.
func (l *list) numbers(i int, to []float64) {
	data := l.at(i)
	if data == nil {
		clear(to)
		return
	}
	to = to[:min(len(to), l.width)]
	if l.component == gltf.ComponentFloat {
		for k := range to {
			to[k] = float64(math.Float32frombits(binary.LittleEndian.Uint32(data[4*k:])))
		}
		return
	}
	for k := range to {
		to[k] = l.number(data[k*l.size:])
	}
}

// number returns a component of whole numbers; of scaled whole numbers as glTF 2.0 has them (section 3.6.2.2).
func (l *list) number(data []byte) float64 {
	v := float64(whole(data, l.component))
	if !l.scaled {
		return v
	}
	switch l.component {
	case gltf.ComponentByte:
		return max(v/math.MaxInt8, -1)
	case gltf.ComponentUbyte:
		return v / math.MaxUint8
	case gltf.ComponentShort:
		return max(v/math.MaxInt16, -1)
	case gltf.ComponentUshort:
		return v / math.MaxUint16
	}
	return v / math.MaxUint32
}

func whole(data []byte, c gltf.ComponentType) int64 {
	switch c {
	case gltf.ComponentByte:
		return int64(int8(data[0]))
	case gltf.ComponentUbyte:
		return int64(data[0])
	case gltf.ComponentShort:
		return int64(int16(binary.LittleEndian.Uint16(data)))
	case gltf.ComponentUshort:
		return int64(binary.LittleEndian.Uint16(data))
	}
	return int64(binary.LittleEndian.Uint32(data))
}

// each calls with the numbers of every element. What is not finite is refused.
func (r *reader) each(i int, with func(k int, v []float64), kinds ...gltf.AccessorType) (count int, err error) {
	l, err := r.list(i, kinds...)
	if err != nil {
		return 0, err
	}
	v := make([]float64, l.width)
	for k := range l.count {
		l.numbers(k, v)
		for _, x := range v {
			if x-x != 0 { // of what is not finite, that is no number
				return 0, fmt.Errorf("element %d of accessor %d is not a finite number", k, i)
			}
		}
		with(k, v)
	}
	return l.count, nil
}

func (r *reader) vectors(i int) ([]geom.Vec, error) {
	l, err := r.list(i, gltf.AccessorVec3)
	if err != nil {
		return nil, err
	}
	out := make([]geom.Vec, l.count)
	var v [3]float64
	for k := range out {
		l.numbers(k, v[:])
		if out[k] = (geom.Vec{X: v[0], Y: v[1], Z: v[2]}); !out[k].Finite() {
			return nil, fmt.Errorf("element %d of accessor %d is not a finite number", k, i)
		}
	}
	return out, nil
}

// indices returns whole numbers.
func (r *reader) indices(i int) ([]uint32, error) {
	l, err := r.list(i, gltf.AccessorScalar)
	if err != nil {
		return nil, err
	}
	if l.component == gltf.ComponentFloat || l.component == gltf.ComponentByte || l.component == gltf.ComponentShort {
		return nil, fmt.Errorf("accessor %d does not hold indices", i)
	}
	out := make([]uint32, l.count)
	for k := range out {
		if l.component == gltf.ComponentUint && l.data != nil && l.sparse == nil {
			out[k] = binary.LittleEndian.Uint32(l.data[k*l.stride:])
			continue
		}
		if data := l.at(k); data != nil {
			out[k] = uint32(whole(data, l.component))
		}
	}
	return out, nil
}
