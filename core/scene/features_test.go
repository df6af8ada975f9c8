package scene

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"reelhouse/core/geom"
)

// bytesOf returns numbers as they stand in a buffer.
func bytesOf(values ...any) []byte {
	var b bytes.Buffer
	for _, v := range values {
		if err := binary.Write(&b, binary.LittleEndian, v); err != nil {
			panic(err)
		}
	}
	return b.Bytes()
}

func inside(data []byte) string {
	return "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(data)
}

// picture is a PNG file, red beside green, the latter half transparent.
func picture() []byte {
	img := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	img.SetNRGBA(0, 0, color.NRGBA{R: 255, A: 255})
	img.SetNRGBA(1, 0, color.NRGBA{G: 255, A: 128})
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err)
	}
	return b.Bytes()
}

// webpPicture is a lossless WebP file, red beside green.
func webpPicture() []byte {
	data, err := os.ReadFile("testdata/red-green.webp")
	if err != nil {
		panic(err)
	}
	return data
}

// corners are four positions of a unit square, as floats.
var corners = []float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0}

// text returns a glTF file of one buffer and what else it holds.
func text(buffer []byte, views, accessors, rest string) []byte {
	return fmt.Appendf(
		nil,
		`{"asset":{"version":"2.0"},"scene":0,"buffers":[{"byteLength":%d,"uri":%q}],"bufferViews":[%s],
			"accessors":[%s],%s}`,
		len(buffer), inside(buffer), views, accessors, rest,
	)
}

const (
	cornersView     = `{"buffer":0,"byteLength":48,"target":34962}`
	cornersAccessor = `{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}`
	shown           = `"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}]`
)

// conformant are files that the standard allows.
func conformant() map[string][]byte {
	square := bytesOf(corners)
	mode := func(m int) []byte {
		return text(
			square, cornersView, cornersAccessor,
			fmt.Sprintf(`%s,"meshes":[{"primitives":[{"attributes":{"POSITION":0},"mode":%d}]}]`, shown, m),
		)
	}
	shape := pad(square, 4)
	skin := append(
		append(append([]byte(nil), shape...), bytesOf([]uint8{0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0})...),
		bytesOf([]float32{0.5, 0.5, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0.25, 0.75, 0, 0})...)
	morph := append(
		append([]byte(nil), square...),
		bytesOf([]float32{0, 0, 1, 0, 0, 2, 0, 0, 3, 0, 0, 4}, []float32{0, 2}, []float32{0, 1})...)
	image := picture()
	textured := append(
		append(
			append([]byte(nil), square...),
			bytesOf([]uint8{0, 255, 0, 0, 255, 255, 0, 0, 0, 0, 0, 0, 255, 0, 0, 0})...),
		image...)
	return map[string][]byte{
		"a strip": mode(
			5,
		), "a fan": mode(6), "points": mode(0), "lines": mode(1), "a loop": mode(2), "a line strip": mode(3),
		"sparse positions": text(
			bytesOf([]uint16{1, 2}, []float32{1, 0, 0, 0, 1, 0}),
			`{"buffer":0,"byteLength":4},{"buffer":0,"byteOffset":4,"byteLength":24}`,
			`{"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0],"sparse":{"count":2,
				"indices":{"bufferView":0,"componentType":5123},"values":{"bufferView":1}}}`,
			shown+`,"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}]`,
		),
		"a skin": text(
			skin,
			cornersView+`,{"buffer":0,"byteOffset":48,"byteLength":16,"target":34962},{"buffer":0,"byteOffset":64,
				"byteLength":64,"target":34962}`,
			cornersAccessor+`,{"bufferView":1,"componentType":5121,"count":4,"type":"VEC4"},{"bufferView":2,
				"componentType":5126,"count":4,"type":"VEC4"}`,
			`"scenes":[{"nodes":[0,1]}],"nodes":[{"mesh":0,"skin":0},{"name":"a","children":[2]},{"name":"b",
				"translation":[0,2,0]}],"skins":[{"joints":[1,2]}],"meshes":[{"primitives":[{"attributes":{"POSITION":0,
					"JOINTS_0":1,"WEIGHTS_0":2},"mode":5}]}]`,
		),
		"morph targets": text(
			morph,
			cornersView+`,{"buffer":0,"byteOffset":48,"byteLength":48,"target":34962},{"buffer":0,"byteOffset":96,
				"byteLength":16}`,
			cornersAccessor+`,{"bufferView":1,"componentType":5126,"count":4,"type":"VEC3","min":[0,0,1],
				"max":[0,0,4]},{"bufferView":2,"componentType":5126,"count":2,"type":"SCALAR","min":[0],
					"max":[2]},{"bufferView":2,"byteOffset":8,"componentType":5126,"count":2,"type":"SCALAR"}`,
			shown+`,"meshes":[{"primitives":[{"attributes":{"POSITION":0},"targets":[{"POSITION":1}],"mode":5}]}],
				"animations":[{"samplers":[{"input":2,"output":3}],"channels":[{"sampler":0,"target":{"node":0,
					"path":"weights"}}]}]`,
		),
		"textures": text(
			textured,
			cornersView+fmt.Sprintf(
				`,{"buffer":0,"byteOffset":48,"byteLength":16,"byteStride":4,"target":34962},{"buffer":0,
					"byteOffset":64,"byteLength":%d}`,
				len(image),
			),
			cornersAccessor+`,{"bufferView":1,"componentType":5121,"normalized":true,"count":4,"type":"VEC2"}`,
			shown+`,"extensionsUsed":["KHR_texture_transform","KHR_materials_unlit","KHR_materials_transmission",
				"KHR_materials_ior","KHR_materials_volume","KHR_materials_clearcoat"],"images":[{"bufferView":2,
					"mimeType":"image/png"}],"samplers":[{"wrapS":33071,"wrapT":33648,"magFilter":9728}],
						"textures":[{"source":0,"sampler":0}],
			"materials":[{"alphaMode":"MASK","alphaCutoff":0.75,"doubleSided":true,
				"pbrMetallicRoughness":{"baseColorTexture":{"index":0,
					"extensions":{"KHR_texture_transform":{"offset":[0.5,0],"scale":[2,1]}}}},
						"extensions":{"KHR_materials_unlit":{}}},
			{"extensions":{"KHR_materials_transmission":{"transmissionFactor":0.5},"KHR_materials_ior":{"ior":1.33},
				"KHR_materials_volume":{"thicknessFactor":0.01,"attenuationDistance":2,"attenuationColor":[0.5,0.9,1]},
					"KHR_materials_clearcoat":{"clearcoatFactor":1}}}],
			"meshes":[{"primitives":[{"attributes":{"POSITION":0,"TEXCOORD_0":1},"mode":5,"material":0}]}]`,
		),
		"quantized": text( // KHR_mesh_quantization: shorts as positions, bytes as normals, shorts as coordinates
			bytesOf(
				[]int16{0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 1, 1, 0, 0},
				[]int8{0, 0, 127, 0, 0, 0, 127, 0, 0, 0, 127, 0, 0, 0, 127, 0}, []uint16{0, 0, 3, 0, 0, 3, 3, 3},
			),
			`{"buffer":0,"byteLength":32,"byteStride":8,"target":34962},{"buffer":0,"byteOffset":32,"byteLength":16,
				"byteStride":4,"target":34962},{"buffer":0,"byteOffset":48,"byteLength":16,
				"byteStride":4,"target":34962}`,
			`{"bufferView":0,"componentType":5122,"count":4,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},
				{"bufferView":1,"componentType":5120,"normalized":true,"count":4,"type":"VEC3"},
				{"bufferView":2,"componentType":5123,"count":4,"type":"VEC2"}`,
			shown+`,"extensionsUsed":["KHR_mesh_quantization"],"extensionsRequired":["KHR_mesh_quantization"],
				"meshes":[{"primitives":[{"attributes":{"POSITION":0,"NORMAL":1,"TEXCOORD_0":2},"mode":5}]}]`,
		),
		"a WebP texture": text(
			slices.Concat(square, webpPicture()),
			cornersView+fmt.Sprintf(`,{"buffer":0,"byteOffset":48,"byteLength":%d}`, len(webpPicture())),
			cornersAccessor,
			shown+`,"extensionsUsed":["EXT_texture_webp"],"extensionsRequired":["EXT_texture_webp"],
				"images":[{"bufferView":1,"mimeType":"image/webp"}],
				"textures":[{"extensions":{"EXT_texture_webp":{"source":0}}}],
				"materials":[{"emissiveTexture":{"index":0}}],
				"meshes":[{"primitives":[{"attributes":{"POSITION":0},"mode":5}]}]`,
		),
		"two scenes": []byte(
			`{"asset":{"version":"2.0"},"scene":1,"scenes":[{"name":"workshop","nodes":[0]},{"name":"shown",
				"nodes":[1]}],"nodes":[{"name":"a"},{"name":"b","camera":0}],"cameras":[{"type":"orthographic",
					"orthographic":{"xmag":4,"ymag":2,"znear":0.1,"zfar":10}}]}`,
		),
		"an optional extension": []byte(
			`{"asset":{"version":"2.0"},"scene":0,"extensionsUsed":["EXT_unheard_of"],"scenes":[{"nodes":[0]}],
				"nodes":[{"name":"a"}]}`,
		),
	}
}

func pad(data []byte, to int) []byte {
	for len(data)%to != 0 {
		data = append(data, 0)
	}
	return data
}

// broken are files that the standard forbids, and what an error has to say.
func broken() map[string][2]string {
	square := bytesOf(corners)
	plain := func(views, accessors, rest string) string { return string(text(square, views, accessors, rest)) }
	const mesh = shown + `,"meshes":[{"name":"sail","primitives":[{"attributes":{"POSITION":0},"mode":5}]}]`
	return map[string][2]string{
		"a view too long": {
			plain(`{"buffer":0,"byteLength":64}`, cornersAccessor, mesh),
			`buffer view 0 reaches past`,
		},
		"an unused view too long": {
			plain(cornersView+`,{"buffer":0,"byteOffset":40,"byteLength":16}`, cornersAccessor, mesh),
			`buffer view 1 reaches past`,
		},
		"a view of what follows its buffer": {
			strings.Replace(plain(cornersView, cornersAccessor, mesh), `"buffers":[{"byteLength":48`,
				`"buffers":[{"byteLength":40`, 1),
			`buffer view 0 reaches past`,
		},
		"a buffer that is cut short": {
			strings.Replace(plain(cornersView, cornersAccessor, mesh), `"buffers":[{"byteLength":48`,
				`"buffers":[{"byteLength":52`, 1),
			`buffer 0 is cut short: it says 52 bytes and has 48`,
		},
		"an unused accessor too long": {
			plain(
				cornersView,
				cornersAccessor+`,{"bufferView":0,"componentType":5126,"count":17,"type":"SCALAR"}`,
				mesh,
			),
			`accessor 1: 17 elements do not fit`,
		},
		"an image without a view": {
			plain(cornersView, cornersAccessor, mesh+`,"images":[{"bufferView":7,"mimeType":"image/png"}]`),
			`image 0 "": buffer view 7 does not exist`,
		},
		"positions nowhere": {
			plain(cornersView, cornersAccessor, strings.Replace(mesh, `"POSITION":0`, `"POSITION":4`, 1)),
			`part 0: POSITION: accessor 4 does not exist`,
		},
		"a node of an unused scene": {
			plain(cornersView, cornersAccessor, strings.Replace(mesh, `"scenes":[{"nodes":[0]}]`,
				`"scenes":[{"nodes":[0]},{"nodes":[9]}]`, 1)),
			`scene 1 "": node 9 does not exist`,
		},
		"movement of nobody": {
			plain(cornersView, cornersAccessor, mesh+`,"animations":[{"samplers":[{"input":0,"output":0}],
				"channels":[{"sampler":1,"target":{"node":0,"path":"scale"}}]}]`),
			`animation 0 "", channel 0: sampler 1 does not exist`,
		},
		"an older version": {
			`{"asset":{"version":"1.0"},"meshes":{"sail":{"primitives":[]}},"scene":"all"}`,
			"it is a glTF 1.0 file; glTF 2.0 is read",
		},
		"no version": {`{"asset":{},"scenes":[{"nodes":[]}]}`, "it does not say its glTF version"},
		"an object for a list": {
			`{"asset":{"version":"2.0"},"meshes":{"sail":{}}}`, "meshes: there is an object, and it has to be a list",
		},
		"text for a number": {
			`{"asset":{"version":"2.0"},"nodes":[{"mesh":"sail"}]}`, "there is text, and it has to be a whole number",
		},
		"packed meshes": {
			`{"asset":{"version":"2.0"},"extensionsUsed":["KHR_draco_mesh_compression"],
				"extensionsRequired":["KHR_draco_mesh_compression"]}`,
			"KHR_draco_mesh_compression: its meshes are packed by Draco, which is not read; export it without",
		},
		"packed meshes that nobody requires": {
			plain(cornersView, strings.Replace(cornersAccessor, `"bufferView":0,`, "", 1), strings.Replace(
				mesh,
				`"mode":5`,
				`"mode":5,"extensions":{"KHR_draco_mesh_compression":{"bufferView":0,"attributes":{}}}`,
				1,
			)),
			"KHR_draco_mesh_compression",
		},
		"packed buffers": {
			`{"asset":{"version":"2.0"},"extensionsUsed":["EXT_meshopt_compression"],
				"extensionsRequired":["EXT_meshopt_compression"]}`,
			"EXT_meshopt_compression: its buffers are packed by meshopt",
		},
		"packed buffers that nobody requires": {
			`{"asset":{"version":"2.0"},"buffers":[{"byteLength":48,
				"extensions":{"EXT_meshopt_compression":{"fallback":true}}}]}`,
			"EXT_meshopt_compression: its buffers are packed by meshopt",
		},
		"textures of another kind": {
			`{"asset":{"version":"2.0"},"extensionsRequired":["KHR_texture_basisu"],
				"extensionsUsed":["KHR_texture_basisu"]}`,
			"KHR_texture_basisu: its textures are KTX 2.0",
		},
		"textures of another kind that nobody requires": {
			`{"asset":{"version":"2.0"},"textures":[{"extensions":{"KHR_texture_basisu":{"source":0}}}]}`,
			"KHR_texture_basisu: its textures are KTX 2.0",
		},
		"an accessor too long": {
			plain(cornersView, strings.Replace(cornersAccessor, `"count":4`, `"count":5`, 1), mesh),
			"accessor 0: 5 elements do not fit",
		},
		"no such view": {
			plain(cornersView, strings.Replace(cornersAccessor, `"bufferView":0`, `"bufferView":3`, 1), mesh),
			"buffer view 3 does not exist",
		},
		"positions of two": {
			plain(cornersView, strings.Replace(cornersAccessor, "VEC3", "VEC2", 1), mesh),
			"accessor 0 is of another type",
		},
		"no such material": {
			plain(cornersView, cornersAccessor, strings.Replace(mesh, `"mode":5`, `"material":2`, 1)),
			"material 2 does not exist",
		},
		"no such skin": {
			plain(cornersView, cornersAccessor, strings.Replace(mesh, `{"mesh":0}`, `{"mesh":0,"skin":1}`, 1)),
			"skin 1 does not exist",
		},
		"weights without use": {
			plain(cornersView, cornersAccessor, strings.Replace(mesh, `{"mesh":0}`, `{"mesh":0,"weights":[1]}`, 1)),
			`node 0 "": 1 weights for 0 morph targets`,
		},
		"two parents": {
			`{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0,1]}],
				"nodes":[{"children":[2]},{"children":[2]},{"name":"x"}]}`,
			`node 2 "x" hangs below two nodes`,
		},
		"an unknown need": {
			`{"asset":{"version":"2.0"},"extensionsUsed":["EXT_unheard_of"],"extensionsRequired":["EXT_unheard_of"],
				"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{}]}`,
			"EXT_unheard_of",
		},
	}
}

// The Khronos Group's own validator is the judge: what it accepts is read, and what it finds errors in is refused with
// the place. Only of extensions that it does not know it cannot say anything.
func TestTheValidatorAgrees(t *testing.T) {
	check, err := filepath.Abs("../../scripts/gltf/validate.js")
	if err != nil {
		t.Fatal(err)
	}
	judge := func(name string, data []byte) (errors int) {
		path := filepath.Join(t.TempDir(), "scene.gltf")
		if err := os.WriteFile(path, data, 0o644); err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command("node", check, path)
		cmd.Dir = filepath.Dir(check)
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("the glTF validator is not installed; `make test` installs it: %s", out)
		}
		var issues struct {
			NumErrors int
			Messages  []struct{ Message string }
		}
		if err := json.Unmarshal(out, &issues); err != nil {
			t.Fatal(err)
		}
		t.Logf("%s: %d errors %v", name, issues.NumErrors, issues.Messages)
		return issues.NumErrors
	}
	for name, data := range conformant() {
		if n := judge(name, data); n > 0 {
			t.Errorf("%s: the validator finds %d errors", name, n)
		}
		if _, err := Read(bytes.NewReader(data)); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, c := range broken() {
		if n := judge(name, []byte(c[0])); n == 0 && !strings.Contains(c[0], "extensionsRequired") {
			t.Errorf("%s: the validator finds nothing", name)
		}
		if _, err := Read(strings.NewReader(c[0])); err == nil || !strings.Contains(err.Error(), c[1]) {
			t.Errorf("%s: %v, want it to say %q", name, err, c[1])
		}
	}
}

func readNamed(t *testing.T, name string) *Scene {
	t.Helper()
	s, err := Read(bytes.NewReader(conformant()[name]))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// The order of corners in strips and fans (glTF 2.0, section 3.7.2.1).
// Whole numbers as positions are what they are (KHR_mesh_quantization); a scaled byte of 127 is 1.
func TestQuantizedMeshesAreRead(t *testing.T) {
	part := readNamed(t, "quantized").Meshes[0].Parts[0]
	if part.Positions[3] != (geom.Vec{X: 1, Y: 1}) || part.Normals[2] != (geom.Vec{Z: 1}) ||
		part.UV[0][3] != (UV{3, 3}) {
		t.Errorf("positions %v, normals %v, coordinates %v", part.Positions, part.Normals, part.UV)
	}
}

func TestWebPTexturesAreRead(t *testing.T) {
	s := readNamed(t, "a WebP texture")
	m := s.Images[s.Textures[0].Image]
	if m.Fault != "" || m.Type != "WebP" || m.Pixels.NRGBAAt(0, 0) != (color.NRGBA{R: 255, A: 255}) ||
		m.Pixels.NRGBAAt(1, 0) != (color.NRGBA{G: 255, A: 255}) {
		t.Errorf("the image is %+v", m)
	}
}

// A file of the older binary kind is told by its version, as one of text is.
func TestABinaryFileOfAnotherVersionIsRefused(t *testing.T) {
	old := append([]byte("glTF\x01\x00\x00\x00\x40\x00\x00\x00"), make([]byte, 52)...)
	if _, err := Read(bytes.NewReader(old)); err == nil ||
		!strings.Contains(err.Error(), "binary glTF file of version 1") {
		t.Errorf("%v", err)
	}
}

// What a file is refused for is told in its own words, not in those of this program's source.
func TestNoErrorNamesTypesOfTheSource(t *testing.T) {
	for name, c := range broken() {
		_, err := Read(strings.NewReader(c[0]))
		for _, word := range []string{"gltf.", "json:", "Go ", "[]", "struct", "runtime error"} {
			if err != nil && strings.Contains(err.Error(), word) {
				t.Errorf("%s: %v", name, err)
			}
		}
	}
}

func TestStripsAndFansBecomeTriangles(t *testing.T) {
	for name, want := range map[string][]uint32{"a strip": {0, 1, 2, 1, 3, 2}, "a fan": {1, 2, 0, 2, 3, 0}} {
		if got := readNamed(t, name).Meshes[0].Parts[0].Indices; !reflect.DeepEqual(got, want) {
			t.Errorf("%s: %v, want %v", name, got, want)
		}
	}
	if s := readNamed(t, "lines"); s.Triangles() != 0 || s.Meshes[0].Loose != 1 || len(s.Notes) != 1 {
		t.Errorf("lines: %d triangles, notes %v", s.Triangles(), s.Notes)
	}
}

func TestSparseElementsStandApart(t *testing.T) {
	want := []geom.Vec{{}, {X: 1}, {Y: 1}}
	if got := readNamed(t, "sparse positions").Meshes[0].Parts[0].Positions; !reflect.DeepEqual(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
}

// A vertex half on a joint that stands 2 m up is taken 1 m up; one wholly on it, 2 m.
func TestSkinsTakeVerticesWithThem(t *testing.T) {
	s := readNamed(t, "a skin")
	if !s.Deforms(0) || s.Deforms(1) {
		t.Error("the wrong nodes deform")
	}
	mesh, to := s.Shape(0, s.At(0))
	if to != geom.Identity() {
		t.Errorf("a mesh on a skin stands at %v", to)
	}
	want := []geom.Vec{{Y: 1}, {X: 1}, {Y: 3}, {X: 1, Y: 2.5}}
	for i, p := range mesh.Parts[0].Positions {
		if p.Sub(want[i]).Length() > 1e-9 {
			t.Errorf("vertex %d stands at %v, want %v", i, p, want[i])
		}
	}
	if top := s.Bounds(s.At(0)).Max.Y; top != 3 {
		t.Errorf("it reaches up to %v", top)
	}
}

func TestMorphTargetsFollowTheirWeights(t *testing.T) {
	s := readNamed(t, "morph targets")
	// of the second vertex, whose target is 2 m away
	for seconds, want := range map[float64]float64{0: 0, 1: 1, 2: 2, 9: 2} {
		mesh, _ := s.Shape(0, s.At(seconds))
		if got := mesh.Parts[0].Positions[1].Z; math.Abs(got-want) > 1e-9 {
			t.Errorf("at %v s it is at %v m, want %v", seconds, got, want)
		}
	}
	if !s.Moving()[0] {
		t.Error("what changes its shape does not count as moving")
	}
}

func TestMaterialsAndTexturesAreRead(t *testing.T) {
	s := readNamed(t, "textures")
	m, glass := s.Materials[0], s.Materials[1]
	if m.Mode != Mask || m.Cutoff != 0.75 || !m.DoubleSided || !m.Unlit || m.Base == nil ||
		m.Base.Offset != [2]float64{0.5, 0} ||
		m.Base.Scale != [2]float64{2, 1} {
		t.Errorf("the material is %+v", m)
	}
	if glass.Transmission != 0.5 || glass.IOR != 1.33 || glass.Clearcoat != 1 || glass.Thickness != 0.01 ||
		glass.Clearness != 2 ||
		glass.Tint.Y != 0.9 ||
		len(s.Notes) != 1 {
		t.Errorf("the other one is %+v; notes %v", glass, s.Notes)
	}
	if x := s.Textures[0]; x != (Texture{Image: 0, WrapU: Clamp, WrapV: Mirror, Nearest: true}) {
		t.Errorf("the texture is %+v", x)
	}
	if i := s.Images[0]; i.Fault != "" || i.Size != image.Pt(2, 1) || i.Type != "PNG" ||
		i.Pixels.NRGBAAt(1, 0) != (color.NRGBA{G: 255, A: 128}) {
		t.Errorf("the image is %+v", i)
	}
	if uv := s.Meshes[0].Parts[0].UV[0]; uv[0] != (UV{0, 1}) || uv[1] != (UV{1, 1}) || uv[3] != (UV{1, 0}) {
		t.Errorf("normalised coordinates are %v", uv)
	}
	if s := readNamed(t, "two scenes"); len(s.Scenes) != 2 || s.Scenes[0] != "workshop" || s.Number != 2 ||
		s.Cameras[0].Height != 4 ||
		s.Cameras[0].Aspect != 2 {
		t.Errorf("scenes %v, cameras %v", s.Scenes, s.Cameras)
	}
	first, err := ReadOne(bytes.NewReader(conformant()["two scenes"]), 1)
	if err != nil || first.Name != "workshop" || first.Number != 1 || len(first.CameraNodes()) != 0 {
		t.Errorf("the first scene is %q with %d cameras, %v", first.Name, len(first.CameraNodes()), err)
	}
	if _, err := ReadOne(bytes.NewReader(conformant()["two scenes"]), 3); err == nil ||
		!strings.Contains(err.Error(), "no scene 3") {
		t.Errorf("the third of two scenes: %v", err)
	}
}

// The order of KHR_texture_transform is scale, then turn, then move; the turn is counter-clockwise in the picture,
// where V falls (as the extension's text says; its matrix from memory).
func TestMapsPlaceCoordinates(t *testing.T) {
	m := Map{Scale: [2]float64{2, 1}, Turn: math.Pi / 2, Offset: [2]float64{0.5, 0}}
	if u, v := m.Place(1, 0); math.Abs(u-0.5) > 1e-12 || math.Abs(v+2) > 1e-12 {
		t.Errorf("%v, %v", u, v)
	}
}

// A scene with files beside it, in a folder or an archive; nothing from outside is read.
func TestFilesBesideAreReadFromTheirFolderOnly(t *testing.T) {
	scene := func(buffer, image string) []byte {
		return fmt.Appendf(
			nil,
			`{"asset":{"version":"2.0"},"scene":0,%s,"meshes":[{"primitives":[{"attributes":{"POSITION":0},"mode":5}]}],
				"buffers":[{"byteLength":48,"uri":%q}],"bufferViews":[%s],"accessors":[%s],"images":[{"uri":%q}]}`,
			shown,
			buffer,
			cornersView,
			cornersAccessor,
			image,
		)
	}
	folder := fstest.MapFS{
		"set/scene.gltf": {
			Data: scene("parts/a.bin", "a%20picture.png"),
		}, "set/parts/a.bin": {Data: bytesOf(corners)}, "set/a picture.png": {Data: picture()},
		"set/gone.gltf": {
			Data: scene("parts/a.bin", "gone.png"),
		}, "set/outside.gltf": {Data: scene("../secret.bin", "x.png")}, "secret.bin": {Data: bytesOf(corners)},
		"set/far.gltf": {
			Data: scene("https://example.com/a.bin", "x.png"),
		}, "set/peek.gltf": {Data: scene("parts/a.bin", "../secret.bin")},
		"set/lost.gltf": {Data: scene("parts/b.bin", "x.png")},
	}
	s, err := ReadFolder(folder, "set/scene.gltf", 0)
	if err != nil {
		t.Fatal(err)
	}
	if i := s.Images[0]; s.Triangles() != 2 || i.Fault != "" || i.File != "a picture.png" || i.Size.X != 2 {
		t.Errorf("%d triangles, image %+v", s.Triangles(), i)
	}
	for name, says := range map[string]string{"outside": "'../secret.bin'", "far": "nothing is fetched",
		"lost": `"parts/b.bin" is missing`} {
		if _, err := ReadFolder(folder, "set/"+name+".gltf", 0); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want it to say %q", name, err, says)
		}
	}
	for name, says := range map[string]string{"gone": `its file "gone.png" is missing`,
		"peek": "outside the scene's own folder"} {
		s, err := ReadFolder(folder, "set/"+name+".gltf", 0)
		if err != nil {
			t.Fatal(err)
		}
		if r := s.Report(); !strings.Contains(s.Images[0].Fault, says) || len(r.Findings) < 2 ||
			!r.Findings[1].Wrong ||
			!strings.Contains(r.Findings[1].Text, says) {
			t.Errorf("%s: %+v, findings %v", name, s.Images[0], r.Findings)
		}
	}
	if _, err := Read(bytes.NewReader(folder["set/scene.gltf"].Data)); err == nil ||
		!strings.Contains(err.Error(), "did not come with the scene") {
		t.Errorf("without its files: %v", err)
	}
	archive := func(names ...string) []byte {
		var b bytes.Buffer
		w := zip.NewWriter(&b)
		for _, name := range names {
			f, err := w.Create(name)
			if err != nil {
				t.Fatal(err)
			}
			f.Write(folder[name].Data)
		}
		w.Close()
		return b.Bytes()
	}
	if s, err := Read(bytes.NewReader(archive("set/scene.gltf", "set/parts/a.bin", "set/a picture.png"))); err != nil ||
		s.Triangles() != 2 ||
		s.Images[0].Fault != "" {
		t.Errorf("an archive: %v", err)
	}
	for says, data := range map[string][]byte{
		"no .gltf": archive("secret.bin"), "2 scene files": archive("set/scene.gltf", "set/gone.gltf"),
		"damaged zip": archive("secret.bin")[:40],
	} {
		if _, err := Read(bytes.NewReader(data)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want it to say %q", err, says)
		}
	}
}

// A part has another material in a variant (KHR_materials_variants); what does not exist is an error that says so.
func TestVariantsOfMaterials(t *testing.T) {
	file := func(mapping string) string {
		return `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
			"extensionsUsed":["KHR_materials_variants"],"extensionsRequired":["KHR_materials_variants"],
			"extensions":{"KHR_materials_variants":{"variants":[{"name":"red"},{"name":"blue"}]}},
			"materials":[{"name":"a"},{"name":"b"}],
			"meshes":[{"primitives":[{"material":0,"attributes":{"POSITION":0},
				"extensions":{"KHR_materials_variants":{"mappings":[` + mapping + `]}}}]}],
			"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[0,0,0]}],
			"bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"byteLength":36,
				"uri":"data:application/octet-stream;base64,` + strings.Repeat("A", 48) + `"}]}`
	}
	s, err := Read(strings.NewReader(file(`{"material":0,"variants":[0]},{"material":1,"variants":[1]}`)))
	if err != nil {
		t.Fatal(err)
	}
	if got := s.Meshes[0].Parts[0]; len(s.Variants) != 2 || got.Material != 0 || got.Variants[1] != 1 {
		t.Errorf("variants %v, part %+v", s.Variants, got)
	}
	for says, mapping := range map[string]string{
		"material 7 does not exist": `{"material":7,"variants":[0]}`,
		"variant 9 does not exist":  `{"material":0,"variants":[9]}`,
		"two materials":             `{"material":0,"variants":[0]},{"material":1,"variants":[0]}`,
	} {
		if _, err := Read(strings.NewReader(file(mapping))); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
}

// Some of these files stand in testdata, too, where other programs can be given them. With REELHOUSE_KEPT=write they
// are written anew.
func TestFilesByHandStandInTestdata(t *testing.T) {
	made := conformant()
	for name, c := range broken() {
		made[name] = []byte(c[0])
	}
	for _, name := range []string{
		"quantized", "a WebP texture", "packed meshes", "packed buffers", "textures of another kind",
		"an older version",
		"a view too long", "an unused view too long", "positions nowhere", "a node of an unused scene",
	} {
		path := filepath.Join("testdata", strings.ReplaceAll(strings.ToLower(name), " ", "-")+".gltf")
		if os.Getenv("REELHOUSE_KEPT") == "write" {
			if err := os.WriteFile(path, made[name], 0o644); err != nil {
				t.Fatal(err)
			}
		}
		data, err := os.ReadFile(path)
		if err != nil || !bytes.Equal(data, made[name]) {
			t.Errorf("%s is not what is made here: %v", path, err)
		}
	}
}
