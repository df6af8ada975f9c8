package scene

import (
	"encoding/json"
	"fmt"

	"github.com/qmuntal/gltf"
)

// variantsName is the extension by which a file has several sets of materials (KHR_materials_variants).
const variantsName = "KHR_materials_variants"

// variants reads the names of the scene's variants.
func (r *reader) variants() error {
	raw, ok := r.doc.Extensions[variantsName].(json.RawMessage)
	if !ok {
		return nil
	}
	var found struct {
		Variants []struct {
			Name string `json:"name"`
		} `json:"variants"`
	}
	if err := json.Unmarshal(raw, &found); err != nil {
		return fmt.Errorf("%s: %w", variantsName, err)
	}
	for i, v := range found.Variants {
		if v.Name == "" {
			v.Name = fmt.Sprintf("variant_%d", i+1)
		}
		r.scene.Variants = append(r.scene.Variants, v.Name)
	}
	return nil
}

// variantsOf reads which material a part has in each variant.
func (r *reader) variantsOf(p *gltf.Primitive) (map[int]int, error) {
	raw, ok := p.Extensions[variantsName].(json.RawMessage)
	if !ok {
		return nil, nil
	}
	var found struct {
		Mappings []struct {
			Material int   `json:"material"`
			Variants []int `json:"variants"`
		} `json:"mappings"`
	}
	if err := json.Unmarshal(raw, &found); err != nil {
		return nil, fmt.Errorf("%s: %w", variantsName, err)
	}
	materials := map[int]int{}
	for _, m := range found.Mappings {
		if m.Material < 0 || m.Material >= len(r.doc.Materials) {
			return nil, fmt.Errorf("%s: material %d does not exist", variantsName, m.Material)
		}
		for _, v := range m.Variants {
			if v < 0 || v >= len(r.scene.Variants) {
				return nil, fmt.Errorf("%s: variant %d does not exist", variantsName, v)
			}
			if _, twice := materials[v]; twice {
				return nil, fmt.Errorf("%s: two materials for variant %d", variantsName, v)
			}
			materials[v] = m.Material
		}
	}
	return materials, nil
}
