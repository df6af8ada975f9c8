package job

import (
	"fmt"
	"slices"
)

// Moved returns an order for another machine: a Job, an Assembly or a FollowUp whose paths are replaced. read is given
// the path of each file that is read, and write that of each that is written; the order itself is not changed.
func Moved(order any, read, write func(path string) (string, error)) (any, error) {
	m := mover{read: read, write: write}
	switch o := order.(type) {
	case Job:
		moved := m.job(o)
		return moved, m.err
	case Assembly:
		o.Job = m.job(o.Job)
		o.TileFiles = slices.Clone(o.TileFiles)
		for i := range o.TileFiles {
			m.put(&o.TileFiles[i], m.read)
		}
		return o, m.err
	case FollowUp:
		o.Inputs, o.Outputs = slices.Clone(o.Inputs), slices.Clone(o.Outputs)
		for i := range o.Inputs {
			m.put(&o.Inputs[i].Path, m.read)
		}
		for i := range o.Outputs {
			m.put(&o.Outputs[i].Path, m.write)
		}
		if o.Picture != nil {
			moved := m.job(*o.Picture)
			o.Picture = &moved
		}
		return o, m.err
	}
	return nil, fmt.Errorf("an order of %T is for this machine alone", order)
}

// A mover replaces paths, until one cannot be.
type mover struct {
	read, write func(path string) (string, error)
	err         error
}

func (m *mover) put(path *string, by func(string) (string, error)) {
	if *path == "" || m.err != nil {
		return
	}
	*path, m.err = by(*path)
}

func (m *mover) job(j Job) Job {
	m.put(&j.Scene, m.read)
	m.put(&j.Environment, m.read)
	j.Frames = slices.Clone(j.Frames)
	for i := range j.Frames {
		j.Frames[i].Files = slices.Clone(j.Frames[i].Files)
		for k := range j.Frames[i].Files {
			f := &j.Frames[i].Files[k]
			m.put(&f.Path, m.write)
			m.put(&f.Encoding.LUT.Path, m.read)
		}
	}
	return j
}
