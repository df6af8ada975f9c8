package exr

import (
	"fmt"
	"sync"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

// A dwaDecoder keeps its memory between chunks.
type dwaDecoder struct {
	ac, dc   []uint16
	bytes    []byte
	deflated []byte
	runs     []byte
	rows     [][][]byte // by layer and row: where it stands in the uncompressed bytes
	squares  [3]square
	lines    [3][]uint16 // eight lines of a layer
	end      int         // of what was taken of ac
}

// sections are the packed bytes of a chunk's four kinds of data.
type sections struct{ deflated, ac, dc, runs []byte }

// unpackDWA undoes DWAA and DWAB.
func (u *unpacker) unpackDWA(b block, in []byte) error {
	if u.dwa == nil {
		u.dwa = &dwaDecoder{}
	}
	d := u.dwa
	if len(in) < 8*dwaNumbers {
		return fmt.Errorf("damaged: it is cut short")
	}
	var head [dwaNumbers]int
	for i := range head {
		n := le.Uint64(in[8*i:])
		if n > 1<<40 {
			return fmt.Errorf("damaged: its sizes are out of range")
		}
		head[i] = int(n)
	}
	in = in[8*dwaNumbers:]
	rules := oldRules()
	switch v := head[dwaVersion]; {
	case v > 2:
		return fmt.Errorf("version %d of this compression is not read", v)
	case v == 2:
		stated, size, err := readRules(in)
		if err != nil {
			return err
		}
		rules, in = stated, in[size:]
	}
	var s sections
	for _, part := range []struct {
		to   *[]byte
		size int
	}{{&s.deflated, head[dwaDeflatedSize]}, {&s.ac, head[dwaACSize]}, {&s.dc, head[dwaDCSize]},
		{&s.runs, head[dwaRunsSize]}} {
		if part.size > len(in) {
			return fmt.Errorf("damaged: it is cut short")
		}
		*part.to, in = in[:part.size], in[part.size:]
	}
	u.layers = b.layers(u.layers)
	plan := planDWA(u.layers, rules)
	d.place(b, u.layers, u.raw)
	if err := u.dwaDeflated(plan, s.deflated, head); err != nil {
		return err
	}
	if err := u.dwaRuns(plan, s.runs, head); err != nil {
		return err
	}
	return u.dwaCosines(plan, s, head)
}

// place finds the rows of the layers in the uncompressed bytes.
func (d *dwaDecoder) place(b block, layers []layer, raw []byte) {
	d.rows = grown(d.rows, len(layers))
	for i := range d.rows {
		d.rows[i] = d.rows[i][:0]
	}
	b.eachRow(layers, func(i, _ int) {
		n := layers[i].width * layers[i].size
		d.rows[i] = append(d.rows[i], raw[:n])
		raw = raw[n:]
	})
}

func bytesOf(layers []layer, which []int) int {
	size := 0
	for _, i := range which {
		size += layers[i].width * layers[i].height * layers[i].size
	}
	return size
}

// dwaDeflated fills layers that are deflated as they are.
func (u *unpacker) dwaDeflated(plan dwaPlan, packed []byte, head [dwaNumbers]int) error {
	size := bytesOf(u.layers, plan.deflated)
	if size == 0 {
		return nil
	}
	if head[dwaDeflatedRaw] != size {
		return fmt.Errorf("damaged: %d bytes of deflated channels instead of %d", head[dwaDeflatedRaw], size)
	}
	d := u.dwa
	d.deflated = grown(d.deflated, size)
	if err := u.inflate(d.deflated, packed); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	rest := d.deflated
	for _, i := range plan.deflated {
		for _, row := range d.rows[i] {
			rest = rest[copy(row, rest):]
		}
	}
	return nil
}

// dwaRuns fills layers of runs: of all their values the first bytes, then the second ones, and so on.
func (u *unpacker) dwaRuns(plan dwaPlan, packed []byte, head [dwaNumbers]int) error {
	size := bytesOf(u.layers, plan.runs)
	if size == 0 {
		return nil
	}
	inflated := head[dwaRunsInflated]
	if head[dwaRunsRaw] != size || inflated > 2*size+2 {
		return fmt.Errorf("damaged: %d bytes of run-length coded channels instead of %d", head[dwaRunsRaw], size)
	}
	d := u.dwa
	d.bytes, d.runs = grown(d.bytes, inflated), grown(d.runs, size)
	if err := u.inflate(d.bytes, packed); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	if err := unrun(d.runs, d.bytes); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	rest := d.runs
	for _, i := range plan.runs {
		l := u.layers[i]
		n := l.width * l.height
		for y, row := range d.rows[i] {
			for k := range l.size {
				for x, v := range rest[k*n+y*l.width : k*n+(y+1)*l.width] {
					row[x*l.size+k] = v
				}
			}
		}
		rest = rest[n*l.size:]
	}
	return nil
}

// dwaCosines fills the layers of cosines.
func (u *unpacker) dwaCosines(plan dwaPlan, s sections, head [dwaNumbers]int) error {
	d := u.dwa
	blocks := 0
	for _, set := range plan.colours {
		l := u.layers[set[0]]
		blocks += len(set) * ((l.width + 7) / 8) * ((l.height + 7) / 8)
	}
	if blocks == 0 {
		return nil
	}
	if head[dwaDCCount] != blocks || head[dwaACCount] > 63*blocks {
		return fmt.Errorf("damaged: %d means and %d waves for %d blocks", head[dwaDCCount], head[dwaACCount], blocks)
	}
	d.ac, d.dc = grown(d.ac, head[dwaACCount]), grown(d.dc, blocks)
	switch head[dwaACMethod] {
	case acHuffman:
		if err := u.huffman.decode(d.ac, s.ac); err != nil {
			return err
		}
	case acDeflate:
		d.bytes = grown(d.bytes, 2*len(d.ac))
		if err := u.inflate(d.bytes, s.ac); err != nil {
			return fmt.Errorf("damaged: %w", err)
		}
		for i := range d.ac {
			d.ac[i] = le.Uint16(d.bytes[2*i:])
		}
	default:
		return fmt.Errorf("damaged: method %d of its waves is not known", head[dwaACMethod])
	}
	u.split, d.bytes = grown(u.split, 2*blocks), grown(d.bytes, 2*blocks)
	if err := u.inflate(u.split, s.dc); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	undifference(u.split)
	interleave(d.bytes, u.split)
	for i := range d.dc {
		d.dc[i] = le.Uint16(d.bytes[2*i:])
	}
	d.end = 0
	dc := d.dc
	for _, set := range plan.colours {
		n, err := d.colours(u.layers, set, dc)
		if err != nil {
			return err
		}
		dc = dc[n:]
	}
	return nil
}

// colours fills one layer, or three that go together, and returns how many means it used. The means of a layer
// come one after the other, the waves block by block.
func (d *dwaDecoder) colours(layers []layer, set []int, dc []uint16) (int, error) {
	first := layers[set[0]]
	across, down := (first.width+7)/8, (first.height+7)/8
	per := across * down
	_, decode := dwaCurves()
	for i := range set {
		d.lines[i] = grown(d.lines[i], 8*8*across)
	}
	for y := range down {
		for x := range across {
			flat := true
			for i := range set {
				rows, err := d.waves(&d.squares[i], dc[i*per+y*across+x])
				if err != nil {
					return 0, err
				}
				d.squares[i].restore(rows)
				flat = flat && rows == 0
			}
			if len(set) == 3 {
				d.mix(flat)
			}
			for i := range set {
				d.squares[i].store(d.lines[i][8*x:], 8*across, flat)
			}
		}
		for i, at := range set {
			l := layers[at]
			table := decode
			if len(set) == 1 && l.Perceptual {
				table = nil
			}
			for k := range min(8, l.height-8*y) {
				l.put(d.rows[at][8*y+k], d.lines[i][8*8*across/8*k:][:l.width], table)
			}
		}
	}
	return len(set) * per, nil
}

// waves reads a block's coefficients and returns how many lines of them are not zero; 0 if there is only a mean.
func (d *dwaDecoder) waves(s *square, mean uint16) (rows int, err error) {
	last := 0 // the lowest line that is not zero
	any := false
	ac := d.ac[d.end:]
	used := 0
	cleared := false
	for at := 1; at < 64; {
		if used >= len(ac) {
			return 0, fmt.Errorf("damaged: waves are missing")
		}
		w := ac[used]
		used++
		if w == zerosToEnd {
			break
		}
		if w&zeroRun == zeroRun {
			at += int(w & 0xff)
			continue
		}
		if w != 0 {
			if !cleared {
				clear(s[1:])
				cleared = true
			}
			place := zigzag[at]
			s[place] = pixel.FromHalf(w)
			last, any = max(last, int(place>>3)), true
		}
		at++
	}
	d.end += used
	s[0] = pixel.FromHalf(mean)
	if !any {
		return 0, nil
	}
	return last + 1, nil
}

// restore turns coefficients into values; of a block without waves only the first value is made.
func (s *square) restore(rows int) {
	if rows == 0 {
		const eighth = 3.535536e-01 * 3.535536e-01
		s[0] *= eighth
		s[1] = s[0]
		s.flat()
		return
	}
	s.undct(rows)
}

func (s *square) flat() {
	for i := range s {
		s[i] = s[0]
	}
}

// mix turns light and colour differences into colours.
func (d *dwaDecoder) mix(flat bool) {
	a, b, c := &d.squares[0], &d.squares[1], &d.squares[2]
	if flat {
		a[0], b[0], c[0] = fromDifference(a[0], b[0], c[0])
		return
	}
	for i := range a {
		a[i], b[i], c[i] = fromDifference(a[i], b[i], c[i])
	}
}

// store puts the block as halves into lines that are stride apart.
func (s *square) store(lines []uint16, stride int, flat bool) {
	if flat {
		h := pixel.ToHalf(s[0])
		for y := range 8 {
			row := lines[y*stride:][:8]
			for x := range row {
				row[x] = h
			}
		}
		return
	}
	for y := range 8 {
		pixel.ToHalves(lines[y*stride:][:8], s[8*y:8*y+8])
	}
}

// put turns a line of halves into a channel's samples, through a table if there is one.
func (l layer) put(row []byte, line []uint16, table *[wordValues]uint16) {
	if table == nil {
		table = sameHalves()
	}
	if l.Type == imagefile.Float {
		for x, h := range line {
			le.PutUint32(row[4*x:], floatBits(table[h]))
		}
		return
	}
	row = row[:2*len(line)]
	for len(line) >= 4 {
		le.PutUint64(
			row,
			uint64(table[line[0]])|uint64(table[line[1]])<<16|uint64(table[line[2]])<<32|uint64(table[line[3]])<<48,
		)
		row, line = row[8:], line[4:]
	}
	for x, h := range line {
		le.PutUint16(row[2*x:], table[h])
	}
}

// sameHalves is the table that changes nothing.
var sameHalves = sync.OnceValue(func() *[wordValues]uint16 {
	table := new([wordValues]uint16)
	for i := range table {
		table[i] = uint16(i)
	}
	return table
})
