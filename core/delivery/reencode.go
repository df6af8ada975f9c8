package delivery

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/plan"
	"reelhouse/core/production"
)

// sources returns the files of a rendering that are encoded anew: those of the output whose pictures are taken, or of
// its master.
func (d *Delivery) sources(p production.Production, r Rendering, title string) []plan.FileSequence {
	wanted := d.Recipe.Pictures
	if wanted == "" {
		files := slices.Clone(r.Spec.Files)
		slices.SortStableFunc(files, func(a, b plan.FileSequence) int { return role(a) - role(b) })
		if len(files) > 0 {
			wanted = files[0].Output
		}
	}
	files := slices.DeleteFunc(slices.Clone(r.Spec.Files), func(f plan.FileSequence) bool { return f.Output != wanted })
	if len(files) > 0 && files[0].Encoding.Viewed() {
		d.find(false, title, "it is made from output %s, which went through a viewing transform already", wanted)
	}
	return files
}

// reencode adds what is made anew of files of a rendering.
func (d *Delivery) reencode(
	p production.Production, r Rendering, part *Part, from plan.FileSequence, order []int, ready frame.Set,
	pattern *naming.Pattern,
) {
	o, ok := p.FindOutput(d.Recipe.As)
	if !ok {
		d.find(true, "", "there is no output %q in whose form files could be handed on", d.Recipe.As)
		return
	}
	retimed := d.ShownRate() != d.Rate
	for _, f := range r.Plan.Reencoded(p, r.Spec, from, d.Recipe.As) {
		for _, reason := range o.Cannot(o.Format, output.Wants{Passes: f.Passes, Agreed: p.Agreed()}) {
			d.find(true, part.Title(), "%s", reason)
		}
		form := Form{f.Encoding, from.Passes, f.Passes, from.Size, f.Size, f.Kernel, f.Stamp}
		if described := f.Output + ": " + f.Encoding.Described() + ", encoded anew"; !slices.Contains(
			part.Formats,
			described,
		) {
			part.Formats = append(part.Formats, described)
		}
		number := d.formOf(form)
		text, _ := json.Marshal(form) // which is plain values
		how := sha256.Sum256(text)
		to := f.Path
		if pattern != nil {
			to = r.Plan.Named(r.Spec, f, *pattern)
		}
		begin := part.First
		if len(order) > 0 && d.Recipe.First == nil && !retimed {
			begin = order[0]
		}
		for at, n := range order {
			as := n
			if d.Recipe.First != nil || retimed {
				as = part.First + at
			}
			path := from.Path.Frame(n)
			i := slices.IndexFunc(r.Frames[n].Files, func(f RecordedFile) bool { return f.Path == path })
			if !ready.Contains(n) || i < 0 {
				continue
			}
			_, name := naming.SplitVolume(to.Frame(as))
			file := r.Frames[n].Files[i]
			if at == 0 {
				for k := range d.Recipe.Leader {
					_, name := naming.SplitVolume(to.Frame(begin - d.Recipe.Leader + k))
					d.Files = append(d.Files, File{
						From: path, To: name, SHA256: file.SHA256, Part: len(d.Parts), Output: f.Output,
						Frame: n, Form: number, How: hex.EncodeToString(how[:8]), Leader: true,
					})
				}
			}
			d.Files = append(d.Files, File{
				From: path, To: name, Bytes: file.Bytes, SHA256: file.SHA256, Part: len(d.Parts), Output: f.Output,
				Frame: n, Form: number, How: hex.EncodeToString(how[:8]),
			})
		}
	}
}

// formOf returns the number of a form, which is added if it is not there.
func (d *Delivery) formOf(form Form) int {
	text, _ := json.Marshal(form)
	for i, other := range d.Forms {
		if known, _ := json.Marshal(other); string(known) == string(text) {
			return i + 1
		}
	}
	d.Forms = append(d.Forms, form)
	return len(d.Forms)
}
