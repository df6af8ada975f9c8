package scene

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// packings are extensions by which a file's contents are packed so that they are not read here, and what they pack.
var packings = map[string]string{
	"KHR_draco_mesh_compression": "its meshes are packed by Draco",
	"EXT_meshopt_compression":    "its buffers are packed by meshopt",
	"KHR_meshopt_compression":    "its buffers are packed by meshopt", "KHR_texture_basisu": "its textures are KTX 2.0",
}

// A fileHead is what a file says of itself, before anything else of it is read.
type fileHead struct {
	Asset struct {
		Version    any `json:"version"`
		MinVersion any `json:"minVersion"`
	} `json:"asset"`
	Required []string `json:"extensionsRequired"`
	Used     []string `json:"extensionsUsed"`
	Buffers  []struct {
		URI        string                     `json:"uri"`
		Extensions map[string]json.RawMessage `json:"extensions"`
	} `json:"buffers"`
	Meshes []struct {
		Name       string `json:"name"`
		Primitives []struct {
			Attributes map[string]int             `json:"attributes"`
			Extensions map[string]json.RawMessage `json:"extensions"`
		} `json:"primitives"`
	} `json:"meshes"`
	Accessors []struct {
		BufferView *int `json:"bufferView"`
		Sparse     any  `json:"sparse"`
	} `json:"accessors"`
	Textures []struct {
		Source     *int                       `json:"source"`
		Extensions map[string]json.RawMessage `json:"extensions"`
	} `json:"textures"`
}

// checkHead refuses what cannot be read by what the file says of itself: other versions, and contents that are packed.
func checkHead(text []byte) error {
	var version struct {
		Asset json.RawMessage `json:"asset"`
	}
	if err := json.Unmarshal(text, &version); err != nil {
		return fmt.Errorf("not a readable glTF 2.0 file: %w", plainJSON(err))
	}
	var h fileHead
	if len(version.Asset) > 0 {
		if err := json.Unmarshal(version.Asset, &h.Asset); err != nil {
			return fmt.Errorf("not a readable glTF 2.0 file: %w", plainJSON(err))
		}
	}
	switch v := fmt.Sprint(h.Asset.Version); {
	case h.Asset.Version == nil:
		return fmt.Errorf("it does not say its glTF version; glTF 2.0 is read")
	case v == "1" || strings.HasPrefix(v, "1."):
		return fmt.Errorf("it is a glTF %s file; glTF 2.0 is read, as which its program may export it again", v)
	case v != "2.0" && !(strings.HasPrefix(v, "2.") && (h.Asset.MinVersion == nil || h.Asset.MinVersion == "2.0")):
		return fmt.Errorf("it is a glTF %s file; glTF 2.0 is read", v)
	}
	if err := json.Unmarshal(text, &h); err != nil {
		return fmt.Errorf("not a readable glTF 2.0 file: %w", plainJSON(err))
	}
	for _, name := range h.Required {
		if what, packed := packings[name]; packed {
			return unpacked(name, what)
		}
		if !slices.Contains(understood, name) {
			return fmt.Errorf("the file requires the extension %s, which is not understood here", name)
		}
	}
	return h.packed()
}

func unpacked(name, what string) error {
	return fmt.Errorf("the file requires the extension %s: %s, which is not read; export it without", name, what)
}

// packed refuses contents that stand in the file as packed ones alone, although the file does not say that it requires
// them to be read.
func (h *fileHead) packed() error {
	for _, b := range h.Buffers {
		for name := range b.Extensions {
			if what, packed := packings[name]; packed && b.URI == "" {
				return unpacked(name, what)
			}
		}
	}
	for _, m := range h.Meshes {
		for _, p := range m.Primitives {
			for name := range p.Extensions {
				what, packed := packings[name]
				i, there := p.Attributes["POSITION"]
				if packed && there && i >= 0 && i < len(h.Accessors) && h.Accessors[i].BufferView == nil &&
					h.Accessors[i].Sparse == nil {
					return unpacked(name, what)
				}
			}
		}
	}
	for _, t := range h.Textures {
		for name := range t.Extensions {
			if what, packed := packings[name]; packed && t.Source == nil {
				return unpacked(name, what)
			}
		}
	}
	return nil
}

// plainJSON tells an error of decoding without the names of our types.
func plainJSON(err error) error {
	var kind *json.UnmarshalTypeError
	if !errors.As(err, &kind) {
		return err
	}
	words := map[reflect.Kind]string{
		reflect.Slice: "a list", reflect.Array: "a list of numbers", reflect.Map: "an object",
		reflect.Struct: "an object",
		reflect.String: "text", reflect.Bool: "true or false", reflect.Float64: "a number", reflect.Float32: "a number",
	}
	t := kind.Type
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	want, known := words[t.Kind()]
	if !known {
		want = "a whole number"
	}
	values := map[string]string{"array": "a list", "object": "an object", "string": "text", "bool": "true or false"}
	value := values[kind.Value]
	if value == "" {
		value = kind.Value
	}
	where := "the file"
	if kind.Field != "" {
		where = strings.ReplaceAll(kind.Field, ".", ", ")
	}
	return fmt.Errorf("at byte %d, %s: there is %s, and it has to be %s", kind.Offset, where, value, want)
}
