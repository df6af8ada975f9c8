package trace

import (
	"cmp"
	"slices"

	"reelhouse/core/imagefile"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/scene"
)

// mostMattes is how many Cryptomattes a rendering can have: objects, materials and assets.
const mostMattes = 3

// A matte gathers which things cover a pixel.
type matte struct {
	code   pass.Code
	planes [][]float32
	ids    []float32 // by node, or by material with the default last
}

// newMatte finds the IDs of what a Cryptomatte tells apart.
func (w *World) newMatte(code pass.Code, planes [][]float32) matte {
	m := matte{code: code, planes: planes}
	for _, name := range w.matteNames(code) {
		m.ids = append(m.ids, pass.ID(name))
	}
	return m
}

// matteNames returns the names of what a Cryptomatte tells apart: by node, or by material with the default last.
func (w *World) matteNames(code pass.Code) []string {
	s := w.model.scene
	var names []string
	if code == pass.CryptoMaterial {
		for _, m := range w.materials {
			names = append(names, m.Name)
		}
		return names
	}
	for _, n := range s.Nodes {
		names = append(names, n.Name)
	}
	if code == pass.CryptoAsset {
		var name func(i int, asset string)
		name = func(i int, asset string) {
			names[i] = asset
			for _, c := range s.Nodes[i].Children {
				name(c, asset)
			}
		}
		for _, r := range assets(s) {
			name(r, s.Nodes[r].Name)
		}
	}
	return names
}

// assets returns the topmost nodes of a scene, below the one that corrects its unit.
func assets(s *scene.Scene) []int {
	if s.Unit != 0 && len(s.Roots) == 1 {
		return s.Nodes[s.Roots[0]].Children
	}
	return s.Roots
}

// id returns the ID of what was hit.
func (m *matte) id(h *hit) float32 {
	if m.code != pass.CryptoMaterial {
		return m.ids[h.node()]
	}
	if material := h.instance.solid.triangles[h.triangle].material; material >= 0 {
		return m.ids[material]
	}
	return m.ids[len(m.ids)-1]
}

// shares is how much of a pixel each ID covers, in the order in which they were met.
type shares struct {
	met []covering
	all float64 // weight of all samples
}

type covering struct {
	id     float32
	weight float64
}

func (s *shares) add(id float32, weight float64) {
	for i := range s.met {
		if s.met[i].id == id {
			s.met[i].weight += weight
			return
		}
	}
	s.met = append(s.met, covering{id, weight})
}

// rank stores the IDs that cover most, with their coverage, and 0 where there are fewer.
func (s *shares) rank(planes [][]float32, at int) {
	slices.SortStableFunc(s.met, func(a, b covering) int { return cmp.Compare(b.weight, a.weight) })
	for i, m := range s.met[:min(len(s.met), pass.Ranks)] {
		planes[2*i][at], planes[2*i+1][at] = m.id, float32(m.weight/s.all)
	}
}

// cryptomattes returns the attributes that a file with these passes has to have.
func (w *World) cryptomattes(passes []pass.Code) imagefile.Attributes {
	var all imagefile.Attributes
	for _, code := range passes {
		if described, err := pass.Find(code); err == nil && described.IsCryptomatte() {
			all = append(all, picture.Cryptomatte(described, pass.Manifest(w.MatteNames(code)))...)
		}
	}
	return all
}

// MatteNames returns the names of all things that are shown and that a Cryptomatte tells apart.
func (w *World) MatteNames(code pass.Code) []string {
	s, all := w.model.scene, w.matteNames(code)
	if code == pass.CryptoMaterial {
		return all
	}
	var names []string
	for _, i := range w.pose.Shown {
		if s.Nodes[i].Mesh != scene.None {
			names = append(names, all[i])
		}
	}
	return names
}
