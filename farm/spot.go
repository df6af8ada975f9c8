package farm

import (
	"path/filepath"
	"strconv"

	"reelhouse/core/job"
	"reelhouse/store"
)

// A SpotFile is a file of a frame that is rendered once more: where it is written, and which one it is to be like.
type SpotFile struct{ Path, Final string }

// SpotOrder returns an order that renders the frame or tile of a lease once more, into files of a folder, with the
// renderer that does it. It reports false if it need not come out with the same bytes, or was not rendered.
func (n *Node) SpotOrder(l *store.Lease, folder string) (j job.Job, by Renderer, all []SpotFile, ok bool, err error) {
	spec := l.Sequence.Spec
	if l.Tile == nil && len(l.Tiles) > 0 || spec.FollowUp != nil || takenOver(l) ||
		l.Batch.Plan.Varies(spec, l.Sequence.Renderer) != "" {
		return j, by, nil, false, nil
	}
	var parts []part
	if l.Tile != nil {
		var p part
		j, p, err = tileJob(n.House, l)
		parts = []part{p}
	} else {
		j, parts, _, err = newJobBut(n.House, l, nil)
	}
	if err != nil {
		return j, by, nil, false, err
	}
	for i, p := range parts {
		path := filepath.Join(folder, strconv.Itoa(i)+filepath.Ext(p.final))
		j.Frames[0].Files[i].Path = path
		all = append(all, SpotFile{path, p.final})
	}
	return j, n.rendererFor(l), all, true, nil
}
