package exr

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

const limit = 1 << 28

// scenery is a picture with smooth parts, edges, noise, flat parts, and values that are no colours.
func scenery(width, height int) Picture {
	p := Picture{Part: Part{Header: imagefile.Plain(width, height, imagefile.Half, "R", "G", "B")}}
	p.Channels = append(p.Channels, imagefile.Channel{Name: "depth.Z", Type: imagefile.Float})
	p.Planes = p.Header.Planes(height)
	half := func(plane, i int, v float64) { le.PutUint16(p.Planes[plane][2*i:], pixel.ToHalf(float32(v))) }
	for i := range width * height {
		x, y := float64(i%width), float64(i/width)
		noise := float64(i*2654435761%4096) / 4096
		half(0, i, math.Sin(x/9)*math.Cos(y/7)+0.02*noise)
		half(1, i, noise*100)
		if x > y {
			half(2, i, 0.25)
		}
		le.PutUint32(p.Planes[3][4*i:], math.Float32bits(float32(1+x*y/10+noise)))
	}
	return p
}

func encode(t testing.TB, pictures ...Picture) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Encode(&b, pictures...); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func decode(t testing.TB, data []byte) []imagefile.Part {
	t.Helper()
	parts, err := ReadAll(data, limit)
	if err != nil {
		t.Fatal(err)
	}
	return parts
}

// samePixels says where channels, by their names, do not hold the same bits.
func samePixels(t testing.TB, got, want imagefile.Part) {
	t.Helper()
	if got.DataWindow.Size() != want.DataWindow.Size() || len(got.Channels) != len(want.Channels) {
		t.Fatalf(
			"%v with %d channels instead of %v with %d", got.DataWindow, len(got.Channels), want.DataWindow,
			len(want.Channels),
		)
	}
	for i, c := range want.Channels {
		j := got.Channel(c.Name)
		if j < 0 || got.Channels[j].Type != c.Type {
			t.Errorf("channel %s is missing or of another type", c.Name)
			continue
		}
		if !bytes.Equal(got.Planes[j], want.Planes[i]) {
			n := 0
			for n < len(want.Planes[i]) && got.Planes[j][n] == want.Planes[i][n] {
				n++
			}
			t.Errorf("channel %s differs from pixel %d on", c.Name, n/c.Type.Size())
		}
	}
}

// anything returns a part with a random size, windows, channels of all types, attributes and layout.
func anything(r *rand.Rand, c Compression) Picture {
	corner := image.Pt(r.IntN(200)-100, r.IntN(200)-100)
	window := image.Rectangle{Min: corner, Max: corner.Add(image.Pt(1+r.IntN(90), 1+r.IntN(70)))}
	p := Picture{
		Part: Part{
			Header: imagefile.Header{
				DataWindow:    window,
				DisplayWindow: window.Inset(-r.IntN(9)),
				PixelAspect:   []float64{1, 2, 0.5}[r.IntN(3)],
				Alpha:         imagefile.Premultiplied,
			},
			Compression: c,
			Level:       r.IntN(10),
		},
	}
	for _, name := range []string{"R", "G", "B", "A", "Z", "id", "light.R", "light.G", "light.B",
		strings.Repeat("long", 60)} {
		if r.IntN(3) > 0 {
			p.Channels = append(
				p.Channels, imagefile.Channel{Name: name, Type: imagefile.Type(r.IntN(3)), XSampling: 1, YSampling: 1},
			)
		}
	}
	if len(p.Channels) == 0 {
		p.Channels = []imagefile.Channel{{Name: "Y", Type: imagefile.Half, XSampling: 1, YSampling: 1}}
	}
	r.Shuffle(len(p.Channels), func(i, j int) { p.Channels[i], p.Channels[j] = p.Channels[j], p.Channels[i] })
	p.Attributes = imagefile.Attributes{
		{
			Name:  "owner",
			Value: "nobody",
		}, {Name: "reelhouse:frame", Value: int32(r.IntN(2000) - 1000)},
		{Name: "framesPerSecond", Value: imagefile.Rational{Numerator: 24000, Denominator: 1001}},
	}
	if r.IntN(2) == 0 {
		p.Tile = image.Pt(1+r.IntN(50), 1+r.IntN(50))
	}
	p.Planes = p.Header.Planes(window.Dy())
	for i := range p.Planes {
		smooth := r.IntN(3)
		for j := range p.Planes[i] {
			switch smooth {
			case 0:
				p.Planes[i][j] = byte(r.Uint32())
			case 1:
				p.Planes[i][j] = byte(j / 64)
			}
		}
	}
	return p
}

// Random parts, one or several to a file, handed over in random pieces and read in random pieces: headers and bits come
// back.
func TestWhatIsWrittenIsReadBack(t *testing.T) {
	for seed := range uint64(120) {
		r := rand.New(rand.NewPCG(seed, 1))
		var pictures []Picture
		var parts []Part
		for i := range 1 + r.IntN(3) {
			p := anything(r, Compression(r.IntN(int(PIZ)+1)))
			p.Name = fmt.Sprint("part ", i)
			if i > 0 { // parts of one file share these
				p.DisplayWindow, p.PixelAspect = pictures[0].DisplayWindow, pictures[0].PixelAspect
			}
			pictures, parts = append(pictures, p), append(parts, p.Part)
		}
		var m memory
		w, err := NewWriter(&m, parts...)
		if err != nil {
			t.Fatal(err)
		}
		for i, p := range pictures {
			for y := 0; y < p.Height(); {
				n := min(p.Height()-y, 1+r.IntN(40))
				u := unfinished{part: part{Part: p.Part}}
				if err := w.WriteLines(i, n, u.from(p.Planes, y)); err != nil {
					t.Fatal(err)
				}
				y += n
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(m.bytes(), encode(t, pictures...)) {
			t.Errorf("seed %d: in pieces other bytes are written than as a whole", seed)
		}
		f, err := NewReader(bytes.NewReader(m.bytes()), int64(m.size), limit)
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		for i, h := range f.Headers() {
			want := pictures[i]
			got := imagefile.Part{Header: h, Planes: h.Planes(h.Height())}
			for y := 0; y < h.Height(); {
				n := min(h.Height()-y, 1+r.IntN(60))
				u := unfinished{part: part{Part: Part{Header: h}}}
				if err := f.ReadLines(i, y, y+n, u.from(got.Planes, y)); err != nil {
					t.Fatalf("seed %d: %v", seed, err)
				}
				y += n
			}
			samePixels(t, got, imagefile.Part{Header: want.Header, Planes: want.Planes})
			layout := f.Part(i)
			if layout.Compression != want.Compression || layout.Tile != want.Tile || h.Name != want.Name ||
				h.DataWindow != want.DataWindow ||
				h.DisplayWindow != want.DisplayWindow ||
				h.PixelAspect != want.PixelAspect ||
				!reflect.DeepEqual(h.Attributes, want.Attributes) {
				t.Errorf("seed %d: the header came back as %+v", seed, layout)
			}
		}
	}
}

// One of each type of attribute, and one that nobody knows.
func TestAttributesKeepTheirTypes(t *testing.T) {
	timeCode, err := imagefile.NewTimeCode(23, 59, 58, 29, true)
	if err != nil {
		t.Fatal(err)
	}
	p := scenery(4, 4)
	p.Attributes = imagefile.Attributes{
		{
			Name:  "timeCode",
			Value: timeCode,
		}, {Name: "framesPerSecond", Value: imagefile.Rational{Numerator: 25, Denominator: 1}},
		{Name: "chromaticities", Value: imagefile.ChromaticitiesOf(pixel.BT709)},
		{
			Name:  "whiteLuminance",
			Value: float32(100),
		}, {Name: "owner", Value: "Kai, Dämmerung"}, {Name: "comments", Value: ""},
		{Name: "capDate", Value: "2026:11:25 09:30:00"},
		{
			Name:  "expTime",
			Value: float32(1. / 48),
		}, {Name: "aperture", Value: float32(5.6)}, {Name: "focus", Value: float32(math.Inf(1))},
		{Name: "nominalFocalLength", Value: float32(35)},
		{
			Name:  "shutterAngle",
			Value: float32(180),
		}, {Name: "cameraMake", Value: "none"}, {Name: "lensModel", Value: "none"},
		{Name: "keyCode", Value: imagefile.KeyCode{1, 2, 3, 4, 5, 4, 64}},
		{
			Name:  "worldToCamera",
			Value: imagefile.M44f{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16},
		}, {Name: "multiView", Value: []string{"left", "right", ""}},
		{
			Name:  "adoptedNeutral",
			Value: imagefile.V2f{0.3, 0.4},
		}, {Name: "originalDataWindow", Value: image.Rect(-1, 2, 3, 4)},
		{Name: "preview", Value: imagefile.Preview{Width: 1, Height: 2, RGBA: make([]byte, 8)}},
		{
			Name:  "envmap",
			Value: imagefile.Opaque{Type: "envmap", Data: []byte{1}},
		}, {Name: "x:int", Value: int32(-7)}, {Name: "x:double", Value: 0.1},
		{Name: "x:v2i", Value: imagefile.V2i{1, -2}},
		{
			Name:  "x:v2d",
			Value: imagefile.V2d{1, -2},
		}, {Name: "x:v3i", Value: imagefile.V3i{1, -2, 3}}, {Name: "x:v3f", Value: imagefile.V3f{1, -2, 3}},
		{Name: "x:v3d", Value: imagefile.V3d{1, -2, 3}},
		{
			Name:  "x:m33f",
			Value: imagefile.M33f{1, 2, 3},
		}, {Name: "x:m33d", Value: imagefile.M33d{1, 2, 3}}, {Name: "x:m44d", Value: imagefile.M44d{1, 2, 3}},
		{Name: "x:box2f", Value: imagefile.Box2f{{0, 1}, {2, 3}}},
		{
			Name:  "x:floatvector",
			Value: []float32{1, 2},
		}, {Name: "x:unknown", Value: imagefile.Opaque{Type: "mystery", Data: []byte{1, 2, 3}}},
		// What the Cryptomatte specification 1.2 stores, which passes through.
		{
			Name:  "cryptomatte/bda530a/name",
			Value: "object",
		}, {Name: "cryptomatte/bda530a/hash", Value: "MurmurHash3_32"},
		{
			Name:  "cryptomatte/bda530a/conversion",
			Value: "uint32_to_float32",
		}, {Name: "cryptomatte/bda530a/manifest", Value: `{"lighthouse":"0a1b2c3d"}`},
	}
	got := decode(t, encode(t, p))[0]
	if !reflect.DeepEqual(got.Attributes, p.Attributes) {
		t.Errorf("came back as %v", got.Attributes)
	}
	for name, want := range map[string]string{"timeCode": "23:59:58;29", "framesPerSecond": "25/1",
		"multiView": "left, right, ", "x:unknown": "3 bytes of mystery", "originalDataWindow": "4 × 2 from -1, 2"} {
		i := slices.IndexFunc(got.Attributes, func(a imagefile.Attribute) bool { return a.Name == name })
		if s := got.Attributes[i].String(); s != want {
			t.Errorf("%s is told as %q, want %q", name, s, want)
		}
	}
}

func TestBytesDoNotDependOnTheNumberOfCores(t *testing.T) {
	for _, c := range Compressions() {
		p := scenery(100, 300)
		p.Compression = c
		want := encode(t, p)
		before := runtime.GOMAXPROCS(1)
		got := encode(t, p)
		runtime.GOMAXPROCS(before)
		if !bytes.Equal(got, want) {
			t.Errorf("%s: one core writes other bytes than all", c)
		}
	}
}

// DWA and B44 lose a little, and no more than their files say.
func TestLossIsSmall(t *testing.T) {
	for _, c := range []Compression{PXR24, B44, B44A, DWAA, DWAB} {
		for _, size := range []image.Point{{1, 1}, {7, 3}, {97, 75}, {40, 300}} {
			p := scenery(size.X, size.Y)
			p.Compression = c
			got := decode(t, encode(t, p))[0]
			most := 0.05
			if c == B44 || c == B44A {
				most = 0.3 // beside an edge 6 bits of a difference are few
			}
			red := got.Planes[got.Channel("R")]
			for i := 0; i < len(red); i += 2 {
				a, b := pixel.FromHalf(le.Uint16(red[i:])), pixel.FromHalf(le.Uint16(p.Planes[0][i:]))
				if math.Abs(float64(a-b)) > most {
					t.Fatalf("%s %v: red %d is %v, not %v", c, size, i/2, a, b)
				}
			}
			if c != PXR24 && !bytes.Equal(got.Planes[got.Channel("depth.Z")], p.Planes[3]) {
				t.Errorf("%s %v: depth was changed", c, size)
			}
		}
	}
}

func TestWhatCannotBeWrittenIsRefused(t *testing.T) {
	for name, change := range map[string]func(p *Part){
		"no size":          func(p *Part) { p.DataWindow = image.Rectangle{} },
		"no channels":      func(p *Part) { p.Channels = nil },
		"two the same":     func(p *Part) { p.Channels = append(p.Channels, p.Channels[0]) },
		"a type of codes":  func(p *Part) { p.Channels[0].Type = imagefile.Uint8 },
		"a zero byte":      func(p *Part) { p.Attributes = imagefile.Attributes{{Name: "a\x00b", Value: ""}} },
		"a wrong type":     func(p *Part) { p.Attributes = imagefile.Attributes{{Name: "owner", Value: int32(1)}} },
		"no file's type":   func(p *Part) { p.Attributes = imagefile.Attributes{{Name: "x", Value: struct{}{}}} },
		"a built one":      func(p *Part) { p.Attributes = imagefile.Attributes{{Name: "channels", Value: "x"}} },
		"straight, unsaid": func(p *Part) { p.Alpha = imagefile.Straight },
		"a tile of 0":      func(p *Part) { p.Tile = image.Pt(0, 4) },
		"a compression":    func(p *Part) { p.Compression = 99 },
		"a loss":           func(p *Part) { p.Loss = float32(math.NaN()) },
	} {
		p := scenery(4, 4).Part
		change(&p)
		if _, err := NewWriter(&memory{}, p); err == nil {
			t.Errorf("%s was written", name)
		}
	}
	p := scenery(4, 4)
	if _, err := NewWriter(&memory{}, p.Part, p.Part); err == nil {
		t.Error("two parts of one name were written")
	}
	w, err := NewWriter(&memory{}, p.Part)
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err == nil || !strings.Contains(err.Error(), "0 of 4 lines") {
		t.Errorf("closing without lines: %v", err)
	}
	if err := w.WriteLines(0, 5, p.Planes); err == nil {
		t.Error("too many lines were written")
	}
}

// bytes returns the whole file.
func (m *memory) bytes() []byte {
	var data []byte
	for _, s := range m.segments {
		data = append(data, s[:]...)
	}
	return data[:m.size]
}

// nowhere takes what is written and keeps nothing.
type nowhere struct{ at int64 }

func (n *nowhere) Write(p []byte) (int, error)         { n.at += int64(len(p)); return len(p), nil }
func (n *nowhere) Seek(at int64, _ int) (int64, error) { n.at = at; return at, nil }

// A picture of 16384 x 9216 pixels, 1.2 GB of halves, is written a few lines at a time within 600 MB of memory.
func TestHugePicturesAreWrittenInLittleMemory(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes seconds")
	}
	p := Part{Header: imagefile.Plain(16384, 9216, imagefile.Half, "R", "G", "B", "A"), Compression: ZIP, Level: 1}
	w, err := NewWriter(&nowhere{}, p)
	if err != nil {
		t.Fatal(err)
	}
	lines := p.Header.Planes(256)
	for i := range lines {
		for j := range lines[i] {
			lines[i][j] = byte(j / 4096 * i)
		}
	}
	var most uint64
	for range 9216 / 256 {
		if err := w.WriteLines(0, 256, lines); err != nil {
			t.Fatal(err)
		}
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		most = max(most, m.Sys)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if most > 600<<20 {
		t.Errorf("%d MB were taken of the system", most>>20)
	}
	t.Logf("%d MB were taken of the system", most>>20)
}

func TestBytesBesideEachOther(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for n := range 70 {
		in := make([]byte, n)
		for i := range in {
			in[i] = byte(r.Uint32())
		}
		split, back := make([]byte, n), make([]byte, n)
		separate(split, in)
		for i, v := range in { // as the file layout has it
			if split[i/2+i%2*((n+1)/2)] != v {
				t.Fatalf("%d bytes: byte %d stands elsewhere", n, i)
			}
		}
		want := bytes.Clone(split)
		for i := n - 1; i > 0; i-- {
			want[i] = want[i] - want[i-1] + 128
		}
		difference(split)
		if !bytes.Equal(split, want) {
			t.Fatalf("%d bytes: differences are %v, want %v", n, split, want)
		}
		undifference(split)
		interleave(back, split)
		if !bytes.Equal(back, in) {
			t.Fatalf("%d bytes came back as others", n)
		}
	}
}

// fewestBits against trying all numbers.
func TestFewestBits(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 3000 {
		h := uint16(r.IntN(0x7bff))
		least, most := h-min(h, uint16(r.IntN(300))), h+uint16(r.IntN(300))
		fewest := 16
		for v := least; v <= most; v++ {
			fewest = min(fewest, bitCount(v))
		}
		if got := fewestBits(least, most, h); got < least || got > most || bitCount(got) != fewest {
			t.Fatalf("%b to %b: %b has more than %d bits", least, most, got, fewest)
		}
	}
}

func bitCount(v uint16) int { return strings.Count(fmt.Sprintf("%b", v), "1") }

func TestDamagedFilesAreRefused(t *testing.T) {
	p := scenery(33, 50)
	p.Compression = ZIP
	whole := encode(t, p)
	tiled := bytes.Clone(whole)
	tiled[5] |= flagTiled >> 8
	deep := bytes.Clone(whole)
	deep[5] |= flagDeep >> 8
	for says, data := range map[string][]byte{"no tiles": tiled, "deep": deep,
		"not an OpenEXR": []byte("PNG...........")} {
		if _, err := ReadAll(data, limit); !errors.Is(err, ErrFormat) || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
	if _, err := ReadAll(whole, 33*50*10-1); err == nil || !strings.Contains(err.Error(), "no more than") {
		t.Errorf("over the limit: %v", err)
	}
}

// Damage of every kind, in every compression, as lines and tiles: an error or a picture, and never a panic.
func TestHostileFiles(t *testing.T) {
	for _, c := range Compressions() {
		for _, tile := range []image.Point{{}, {16, 16}} {
			p := scenery(33, 40)
			p.Compression, p.Tile = c, tile
			whole := encode(t, p)
			for i := range 64 {
				if _, err := ReadAll(whole[:len(whole)*i/64], limit); !errors.Is(err, ErrFormat) {
					t.Errorf("%s cut at %d/64: %v", c, i, err)
				}
			}
			for i := 0; i < len(whole); i += 1 + len(whole)/600 {
				spoilt := bytes.Clone(whole)
				spoilt[i] ^= 0x41
				ReadAll(spoilt, limit) // what it makes of it is not promised; that it returns is
			}
			// Tables that point outside, and into other chunks.
			r, err := NewReader(bytes.NewReader(whole), int64(len(whole)), limit)
			if err != nil {
				t.Fatal(err)
			}
			table := bytes.Index(whole, binary.LittleEndian.AppendUint64(nil, uint64(r.parts[0].table[0])))
			for _, offset := range []uint64{0, 8, uint64(len(whole)), uint64(len(whole)) - 3, 1 << 31, 1 << 62,
				math.MaxUint64} {
				spoilt := bytes.Clone(whole)
				le.PutUint64(spoilt[table:], offset)
				if _, err := ReadAll(spoilt, limit); !errors.Is(err, ErrFormat) {
					t.Errorf("%s: a chunk at %d: %v", c, offset, err)
				}
			}
			// Sizes of 2^31 and other sizes in the window, the tiles and the first chunk.
			for _, name := range []string{"dataWindow\x00box2i\x00", "tiles\x00tiledesc\x00"} {
				at := bytes.Index(whole, []byte(name))
				if at < 0 {
					continue
				}
				for k := range 4 {
					for _, v := range []uint32{0x7fffffff, 0x80000000, 0xffffffff, 0, 1 << 20} {
						spoilt := bytes.Clone(whole)
						le.PutUint32(spoilt[at+len(name)+4+4*(k%2):], v)
						ReadAll(spoilt, limit)
					}
				}
			}
		}
	}
}

// A small file that promises much: the memory is not taken.
func TestPromisesAreBounded(t *testing.T) {
	many := Picture{Part: Part{Header: imagefile.Plain(1, 1, imagefile.Half)}}
	for i := range 10000 {
		many.Channels = append(many.Channels, imagefile.Channel{Name: fmt.Sprintf("c%05d", i), Type: imagefile.Half})
	}
	if _, err := NewWriter(&memory{}, many.Part); err == nil || !strings.Contains(err.Error(), "1024 channels") {
		t.Errorf("10 000 channels were written: %v", err)
	}
	many.Channels = many.Channels[:1000]
	many.Planes = many.Header.Planes(1)
	if parts := decode(t, encode(t, many)); len(parts[0].Channels) != 1000 {
		t.Errorf("%d channels came back", len(parts[0].Channels))
	}
	u := unfinished{part: part{Part: Part{Header: imagefile.Plain(1, 1, imagefile.Half)}}}
	for i := range 10000 {
		u.channels = append(u.channels, newChannel(imagefile.Channel{Name: fmt.Sprintf("c%05d", i)}, i))
	}
	p := &part{}
	if err := p.attribute("channels", "chlist", u.channelBytes()); err == nil ||
		!strings.Contains(err.Error(), "more than 1024") {
		t.Errorf("10 000 channels were read: %v", err)
	}
	// One grey line of a million pixels that thousands of chunks share.
	bomb := Picture{Part: Part{Header: imagefile.Plain(1<<16, 1<<10, imagefile.Float, "Y"), Compression: ZIPS}}
	bomb.Planes = bomb.Header.Planes(1 << 10)
	data := encode(t, bomb)
	if len(data) > 1<<20 {
		t.Fatalf("the bomb is too large: %d bytes", len(data))
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	if _, err := ReadAll(data, 1<<20); !errors.Is(err, ErrFormat) {
		t.Errorf("the bomb was read: %v", err)
	}
	runtime.ReadMemStats(&after)
	if took := after.TotalAlloc - before.TotalAlloc; took > 4<<20 {
		t.Errorf("%d bytes were taken before the bomb was refused", took)
	}
}

func FuzzReadAll(f *testing.F) {
	for _, c := range Compressions() {
		p := scenery(9, 20)
		p.Compression, p.Attributes = c, imagefile.Attributes{{Name: "owner", Value: "x"}}
		f.Add(encode(f, p))
		q := scenery(5, 3)
		q.DisplayWindow = p.DisplayWindow
		p.Tile, p.Name, q.Name = image.Pt(8, 4), "a", "b"
		f.Add(encode(f, p, q))
	}
	others, err := filepath.Glob("testdata/*.exr")
	if err != nil || len(others) == 0 {
		f.Fatalf("no files of other writers: %v", err)
	}
	for _, path := range others {
		data, err := os.ReadFile(path)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := NewReader(bytes.NewReader(data), int64(len(data)), 1<<24)
		if err != nil {
			return
		}
		var pictures []Picture
		for i, h := range r.Headers() {
			if !(h.PixelAspect > 0) {
				return
			}
			p := Picture{Part: r.Part(i), Planes: h.Planes(h.Height())}
			if err := r.ReadLines(i, 0, h.Height(), p.Planes); err != nil {
				return
			}
			for j := range p.Channels {
				p.Channels[j].XSampling, p.Channels[j].YSampling = 1, 1
			}
			p.Compression = PIZ // without loss
			pictures = append(pictures, p)
		}
		var b bytes.Buffer
		if err := Encode(&b, pictures...); err != nil {
			return // names or types of attributes that may be read and not written
		}
		again, err := ReadAll(b.Bytes(), 1<<25)
		if err != nil {
			t.Fatalf("read once, but not after writing: %v", err)
		}
		for i, p := range pictures {
			samePixels(t, again[i], imagefile.Part{Header: p.Header, Planes: p.Planes})
		}
	})
}
