package scene

import (
	"fmt"

	"github.com/qmuntal/gltf"
)

// references holds every number by which a file points at something against what is there, and every span of bytes
// against its buffer, whether or not it is used. What points at nothing is refused as a whole.
func (r *reader) references() error {
	d := r.doc
	at := func(i *int, count int, what string) error {
		if i != nil && (*i < 0 || *i >= count) {
			return fmt.Errorf("%s %d does not exist; there are %d", what, *i, count)
		}
		return nil
	}
	for i, b := range d.Buffers {
		if len(b.Data) < b.ByteLength {
			return fmt.Errorf("buffer %d is cut short: it says %d bytes and has %d", i, b.ByteLength, len(b.Data))
		}
		b.Data = b.Data[:b.ByteLength] // what follows is no part of it
	}
	for i := range d.BufferViews {
		if _, _, err := r.span(i, 0); err != nil {
			return err
		}
	}
	for i, a := range d.Accessors {
		if err := r.within(a); err != nil {
			return fmt.Errorf("accessor %d: %w", i, err)
		}
	}
	for i, m := range d.Images {
		if err := at(m.BufferView, len(d.BufferViews), "buffer view"); err != nil {
			return fmt.Errorf("image %d %q: %w", i, m.Name, err)
		}
	}
	for i, m := range d.Meshes {
		for j, p := range m.Primitives {
			for name, index := range p.Attributes {
				if err := at(&index, len(d.Accessors), "accessor"); err != nil {
					return fmt.Errorf("mesh %d %q, part %d: %s: %w", i, m.Name, j, name, err)
				}
			}
			for k, target := range p.Targets {
				for name, index := range target {
					if err := at(&index, len(d.Accessors), "accessor"); err != nil {
						return fmt.Errorf("mesh %d %q, part %d, morph target %d: %s: %w", i, m.Name, j, k, name, err)
					}
				}
			}
			for _, err := range []error{
				at(p.Indices, len(d.Accessors), "accessor"), at(p.Material, len(d.Materials), "material"),
			} {
				if err != nil {
					return fmt.Errorf("mesh %d %q, part %d: %w", i, m.Name, j, err)
				}
			}
		}
	}
	for i, s := range d.Skins {
		for _, err := range []error{
			at(s.InverseBindMatrices, len(d.Accessors), "accessor"), at(s.Skeleton, len(d.Nodes), "node"),
		} {
			if err != nil {
				return fmt.Errorf("skin %d %q: %w", i, s.Name, err)
			}
		}
	}
	for i, s := range d.Scenes {
		for _, n := range s.Nodes {
			if err := at(&n, len(d.Nodes), "node"); err != nil {
				return fmt.Errorf("scene %d %q: %w", i, s.Name, err)
			}
		}
	}
	for i, a := range d.Animations {
		for j, s := range a.Samplers {
			for _, err := range []error{
				at(&s.Input, len(d.Accessors), "accessor"), at(&s.Output, len(d.Accessors), "accessor"),
			} {
				if err != nil {
					return fmt.Errorf("animation %d %q, sampler %d: %w", i, a.Name, j, err)
				}
			}
		}
		for j, c := range a.Channels {
			for _, err := range []error{
				at(&c.Sampler, len(a.Samplers), "sampler"), at(c.Target.Node, len(d.Nodes), "node"),
			} {
				if err != nil {
					return fmt.Errorf("animation %d %q, channel %d: %w", i, a.Name, j, err)
				}
			}
		}
	}
	return nil
}

// within holds the elements of an accessor against its buffer view.
func (r *reader) within(a *gltf.Accessor) error {
	size := components[a.Type] * gltf.SizeOfElement(a.ComponentType, gltf.AccessorScalar)
	if a.Count < 1 || a.Count > maxElements {
		return fmt.Errorf("%d elements cannot be read", a.Count)
	}
	if a.BufferView != nil {
		data, stride, err := r.span(*a.BufferView, a.ByteOffset)
		if err != nil {
			return err
		}
		if int64(max(stride, size))*int64(a.Count-1)+int64(size) > int64(len(data)) {
			return fmt.Errorf("%d elements do not fit its buffer view", a.Count)
		}
	}
	if s := a.Sparse; s != nil {
		for _, view := range []int{s.Indices.BufferView, s.Values.BufferView} {
			if _, _, err := r.span(view, 0); err != nil {
				return fmt.Errorf("sparse elements: %w", err)
			}
		}
	}
	return nil
}
