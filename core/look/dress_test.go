package look

import (
	"errors"
	"slices"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// wardrobe is a sign in two materials, with two images, a lamp, and a post.
func wardrobe() *scene.Scene {
	s := &scene.Scene{
		Roots: []int{0, 1, 2}, Variants: []string{"red", "blue"},
		Materials: []scene.Material{{Name: "red"}, {Name: "blue"}},
		Images:    []scene.Image{{Name: "label"}, {Name: "label_ebb"}},
		Textures:  []scene.Texture{{Image: 0}, {Image: 1}},
		Lights:    []scene.Light{{Name: "lamp_quay", Intensity: 2, Color: geom.Vec{X: 1, Y: 1, Z: 1}}},
		Meshes:    []scene.Mesh{{Name: "sign", Parts: []scene.Part{{Variants: map[int]int{1: 1}}}}, {Name: "post"}},
	}
	for i, name := range []string{"sign", "post", "lamp_quay"} {
		n := scene.NewNode(name)
		if i < 2 {
			n.Mesh = i
		} else {
			n.Light = 0
		}
		s.Nodes = append(s.Nodes, n)
	}
	return s
}

func TestALookDressesTheScene(t *testing.T) {
	s := wardrobe()
	l := Plain()
	l.Variant, l.Hidden, l.Shown = "(value:colour)", []string{"*"}, []string{"sign"}
	l.Textures = []TextureSwap{{"label", "label_(value:tide)"}}
	l.Lights = []LightChange{{Name: "lamp_*", Times: 3, Colour: "#ff0000"}}
	if err := l.Check(); err != nil {
		t.Fatal(err)
	}
	values := map[string]string{"colour": "blue", "tide": "ebb"}
	filled, err := l.With(values)
	if err != nil || filled.Variant != "blue" || filled.Textures[0].By != "label_ebb" || !l.Asks() || filled.Asks() {
		t.Fatalf("%+v, %v", filled, err)
	}
	d := filled.Dressed(s)
	if d.Meshes[0].Parts[0].Material != 1 || d.Textures[0].Image != 1 || d.Lights[0].Intensity != 6 ||
		d.Lights[0].Color != (geom.Vec{X: 1}) || d.Nodes[0].Mesh != 0 || d.Nodes[1].Mesh != scene.None {
		t.Errorf("dressed: %+v", d)
	}
	if s.Meshes[0].Parts[0].Material != 0 || s.Textures[0].Image != 0 || s.Lights[0].Intensity != 2 ||
		s.Nodes[1].Mesh != 1 {
		t.Error("the scene itself was changed")
	}
	if missing := filled.Missing(s); len(missing) > 0 {
		t.Errorf("missing: %v", missing)
	}
	var no NoValue
	if _, err := l.With(map[string]string{"colour": "blue"}); !errors.As(err, &no) || no != "tide" {
		t.Errorf("without a value: %v", err)
	}
	odd, _ := l.With(map[string]string{"colour": "green", "tide": "flood"})
	missing := odd.Missing(s)
	if !slices.Equal(missing, []string{"variant green of materials", "texture label_flood"}) {
		t.Errorf("missing: %v", missing)
	}
	// Names of things may have brackets of their own.
	plain := Plain()
	if plain.Hidden = []string{"lamp (old)"}; plain.Asks() || plain.Check() != nil {
		t.Errorf("%v, %v", plain.Asks(), plain.Check())
	}
}

func FuzzListsOfALook(f *testing.F) {
	f.Add("lamp_quay = 2 #ffcc88, b = 0.5", "label = label_(value:title), a = b")
	f.Add("x", "=")
	f.Fuzz(func(t *testing.T, lights, textures string) {
		if read, err := ReadLights(lights); err == nil {
			again, err := ReadLights(WriteLights(read))
			if err != nil || !slices.Equal(again, read) {
				t.Fatalf("%q reads back as %+v, %v", lights, again, err)
			}
		}
		if read, err := ReadTextures(textures); err == nil {
			again, err := ReadTextures(WriteTextures(read))
			if err != nil || !slices.Equal(again, read) {
				t.Fatalf("%q reads back as %+v, %v", textures, again, err)
			}
		}
	})
}
