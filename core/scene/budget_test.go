package scene

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"runtime"
	"strings"
	"testing"

	"github.com/qmuntal/gltf"
)

// taken returns how many bytes reading a file has asked for.
func taken(t *testing.T, file []byte) (bytes uint64, s *Scene, err error) {
	t.Helper()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	s, err = read(file, nil, 0)
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc, s, err
}

const head = `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],`

// A small file that asks for elements which stand nowhere in it is refused before they are made, in one accessor or in
// many.
func TestElementsWithoutDataAreBounded(t *testing.T) {
	one := head + `"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],` +
		`"accessors":[{"componentType":5126,"count":134217728,"type":"VEC3"}]}`
	primitives, accessors := "", ""
	for i := range 40 {
		primitives += fmt.Sprintf(`,{"attributes":{"POSITION":%d}}`, i)
		accessors += `,{"componentType":5126,"count":1000000,"type":"VEC3"}`
	}
	many := head + `"meshes":[{"primitives":[` + primitives[1:] + `]}],"accessors":[` + accessors[1:] + `]}`
	for name, file := range map[string]string{"one": one, "many": many} {
		used, _, err := taken(t, []byte(file))
		if err == nil || !strings.Contains(err.Error(), "have no data") || used > 1<<30 {
			t.Errorf("%s: %d bytes were taken, %v", name, used, err)
		}
	}
}

// Data that many accessors share is paid for each time that it is made into something.
func TestSharedDataIsBounded(t *testing.T) {
	const bytesOf = 12 << 20
	data := base64.StdEncoding.EncodeToString(make([]byte, bytesOf))
	primitives := strings.Repeat(`,{"attributes":{"POSITION":0}}`, 1000)
	file := head + `"meshes":[{"primitives":[` + primitives[1:] +
		`]}],"accessors":[{"bufferView":0,"componentType":5126,"count":1048576,"type":"VEC3"}],` +
		`"bufferViews":[{"buffer":0,"byteLength":12582912}],"buffers":[{"byteLength":12582912,
			"uri":"data:application/octet-stream;base64,` + data + `"}]}`
	var doc gltf.Document
	if err := gltf.NewDecoder(strings.NewReader(file)).Decode(&doc); err != nil {
		t.Fatal(err)
	}
	r := &reader{doc: &doc, scene: &Scene{}, beside: &beside{}}
	r.spent.geometry = mostGeometry - 100<<20 // so that the test need not take it all
	if err := r.all(); err == nil || !strings.Contains(err.Error(), "take more than") {
		t.Errorf("it was read: %v", err)
	}
}

// A picture that stands in a file many times is decoded once; pictures that pack well are bounded all together.
func TestPicturesAreDecodedOnceAndBounded(t *testing.T) {
	img := image.NewPaletted(image.Rect(0, 0, 2048, 2048), color.Palette{color.Black, color.White})
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	uri := `{"uri":"data:image/png;base64,` + base64.StdEncoding.EncodeToString(b.Bytes()) + `"}`
	same := head + `"meshes":[],"images":[` + strings.Repeat(uri+",", 30) + uri + `]}`
	used, s, err := taken(t, []byte(strings.Replace(same, `"nodes":[{"mesh":0}]`, `"nodes":[{}]`, 1)))
	if err != nil || used > 200<<20 || s.Images[0].Pixels == nil || s.Images[30].Pixels != s.Images[0].Pixels ||
		s.Images[30].Size.X != 2048 {
		t.Errorf("%d bytes were taken, %v", used, err)
	}
	if got := s.Bytes(); got != 4*2048*2048 {
		t.Errorf("the scene takes %d bytes", got)
	}
	var spent spent
	for range 8 {
		if err = spent.picture(16384, 8192); err != nil {
			t.Errorf("eight maps of a film: %v", err)
		}
	}
	if err = spent.picture(16384, 16384); err == nil {
		t.Error("there is no end of pictures")
	}
}

// Sixty thousand names of extensions are told in part, and quickly.
func TestVeryManyNotesAreToldInPart(t *testing.T) {
	var names strings.Builder
	for i := range 60_000 {
		fmt.Fprintf(&names, `,"EXT_%d"`, i)
	}
	file := strings.Replace(
		head, `"nodes":[{"mesh":0}],`, `"nodes":[{}],`, 1,
	) + `"extensionsUsed":[` + names.String()[1:] + `]}`
	used, s, err := taken(t, []byte(file))
	if err != nil || len(s.Notes) != mostNotes+1 || used > 200<<20 {
		t.Errorf("%d notes, %d bytes, %v", len(s.Notes), used, err)
	}
}
