package house

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"reelhouse/core/delivery"
	"reelhouse/core/mhl"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/store"

	"github.com/dustin/go-humanize"
)

// Deliveries returns the folder that deliveries go to which are not sent elsewhere.
func (h *House) Deliveries() string { return h.path("deliveries") }

// PlanDelivery returns what a recipe hands on as things are.
func (h *House) PlanDelivery(p production.Production, code string) (d delivery.Delivery, err error) {
	recipe, ok := p.FindDelivery(code)
	if !ok {
		return d, fmt.Errorf("production %s has no delivery %q", p.Code, code)
	}
	batches, err := h.Record.Batches(p.Code)
	if err != nil {
		return d, err
	}
	verdicts, err := h.Record.VerdictsOf(p.Code, false)
	if err != nil {
		return d, err
	}
	made := map[int64][]store.Sequence{} // mattes and grades of batches
	if len(recipe.Made) > 0 {
		pictures, err := h.Record.PicturesMade(p.Code)
		if err != nil {
			return d, err
		}
		for _, q := range pictures {
			made[q.BatchID] = append(made[q.BatchID], q)
		}
	}
	var all []delivery.Rendering
	for _, b := range batches {
		for _, q := range append(b.Sequences, made[b.ID]...) {
			if q.Counts[queue.Good] == 0 || !recipe.Holds(q.Spec.Made()) ||
				len(recipe.Shots) > 0 && !slices.Contains(recipe.Shots, q.Spec.Shot) {
				continue
			}
			r := delivery.Rendering{
				ID: q.ID, Batch: b.ID, Name: b.Name, Plan: b.Plan, Spec: q.Spec, Frames: map[int]delivery.Rendered{},
				Verdicts: verdicts[cmp.Or(q.Follows, q.ID)], // which are on what was rendered
			}
			files, err := h.Record.SequenceFiles(q.ID)
			if err != nil {
				return d, err
			}
			for _, f := range files {
				frame := delivery.Rendered{State: f.State}
				for _, file := range f.Files {
					frame.Files = append(
						frame.Files,
						delivery.RecordedFile{Path: file.Path, Bytes: file.Bytes, SHA256: file.SHA256},
					)
				}
				r.Frames[f.Number] = frame
			}
			all = append(all, r)
		}
	}
	slices.SortStableFunc(all, func(a, b delivery.Rendering) int { return int(b.ID - a.ID) }) // the newest first
	if d, err = delivery.Plan(p, recipe, all); err == nil && recipe.Sprites.On {
		h.findPivots(p, &d, all)
		d.CheckSprites()
	}
	if err == nil {
		h.attach(p, &d)
		if recipe.Layers {
			err = attachLayers(&d, all)
		}
		h.findRoom(&d)
	}
	if err == nil && len(d.Movies) > 0 {
		if _, err := h.Assets.Movies.Encoder(context.Background(), recipe.Movie.Codec); err != nil {
			d.Findings = append(d.Findings, delivery.Finding{Refuses: true, Text: err.Error()})
		}
	}
	return d, err
}

// findRoom says whether the destination of a delivery can be used, and has room for it.
func (h *House) findRoom(d *delivery.Delivery) {
	at, err := h.Destination(d.Recipe.To)
	if err != nil {
		d.Findings = append(d.Findings, delivery.Finding{Text: err.Error()}) // another folder may be named
		return
	}
	folder := at.Folder
	if d.Recipe.To == "" { // which is made when it is needed
		folder = h.Dir
	}
	if free := freeBytes(folder); free >= 0 && float64(d.Bytes())+roomLeft > free {
		d.Findings = append(d.Findings, delivery.Finding{Text: fmt.Sprintf(
			"%s are to be copied, and %s are free at the destination", humanize.Bytes(uint64(d.Bytes())),
			humanize.Bytes(uint64(free)),
		)})
	}
}

// attach adds the cameras and the cut, as the recipe says. What their formats cannot hold is said.
func (h *House) attach(p production.Production, d *delivery.Delivery) {
	refuse := func(err error) {
		d.Findings = append(d.Findings, delivery.Finding{Refuses: true, Text: err.Error()})
	}
	say := func(left []string) {
		for _, text := range left {
			d.Findings = append(d.Findings, delivery.Finding{Text: text})
		}
	}
	if format := CameraFormat(d.Recipe.Cameras); format != "" {
		file, left, err := h.Cameras(p, format)
		if say(left); err != nil {
			refuse(err)
		} else {
			d.Attached = append(d.Attached, delivery.Attached{Name: "cameras." + format.Ext(), Data: file})
		}
	}
	if format := d.Recipe.Cut; format != "" {
		if p.Cut.Empty() {
			refuse(errors.New("there is no cut that could go along"))
			return
		}
		files, left, err := WriteCut(format, p)
		if say(left); err != nil {
			refuse(err)
		}
		for i, file := range files {
			name := "cut." + format
			if i > 0 {
				name = fmt.Sprintf("cut_%d.%s", i+1, format)
			}
			d.Attached = append(d.Attached, delivery.Attached{Name: name, Data: file})
		}
	}
}

// attachLayers adds what the layers of each part are, for other programs.
func attachLayers(d *delivery.Delivery, all []delivery.Rendering) error {
	for i, part := range d.Parts {
		r := all[slices.IndexFunc(all, func(r delivery.Rendering) bool { return r.ID == part.Rendering })]
		var files []NamedFile
		named := map[string]bool{} // outputs
		for _, f := range d.Files {
			if f.Part != i || f.Leader || named[f.Output] {
				continue
			}
			file := NamedFile{Name: f.To}
			if f.Form > 0 {
				form := d.Forms[f.Form-1]
				file.Format, file.Passes = form.Encoding.Format, form.Passes
			} else {
				at := slices.IndexFunc(r.Spec.Files, func(s plan.FileSequence) bool {
					return s.Path.Frame(f.Frame) == f.From
				})
				file.Format, file.Passes = r.Spec.Files[at].Encoding.Format, r.Spec.Files[at].Passes
			}
			named[f.Output] = true
			files = append(files, file)
		}
		if len(files) == 0 {
			continue
		}
		others, err := ForOthers(r.Plan, r.Spec, files)
		if err != nil {
			return err
		}
		for _, o := range others {
			d.Attached = append(d.Attached, delivery.Attached{Name: part.Along() + "/" + o.Name, Data: o.Data})
		}
	}
	return nil
}

// FormerDelivery returns the newest complete delivery of a recipe, and what it holds; false if there is none.
func (h *House) FormerDelivery(
	production, recipe string,
) (former store.Delivery, d delivery.Delivery, known bool, err error) {
	all, err := h.Record.Deliveries(production)
	if err != nil {
		return former, d, false, err
	}
	i := slices.IndexFunc(all, func(d store.Delivery) bool { return d.Complete && strings.EqualFold(d.Recipe, recipe) })
	if i < 0 {
		return former, d, false, nil
	}
	d, err = h.Record.Delivered(all[i].ID)
	return all[i], d, err == nil, err
}

// BeginDelivery freezes a delivery, which goes to a folder that is empty, or not there; "" for one of its own at the
// destination of the recipe.
func (h *House) BeginDelivery(d delivery.Delivery, to string, by store.Author) (store.Delivery, error) {
	if d.Refused() {
		return store.Delivery{}, errors.New("the delivery has findings that refuse it")
	}
	return h.Record.BeginDelivery(d, func(number int) (string, error) {
		folder := to
		if folder == "" {
			at, err := h.Destination(d.Recipe.To)
			if err != nil {
				return "", err
			}
			folder = filepath.Join(at.Folder, fmt.Sprintf("%s_%s_%03d", d.Production, d.Recipe.Code, number))
		}
		folder, err := filepath.Abs(folder)
		if err != nil {
			return "", err
		}
		if err := h.outside(folder); err != nil {
			return "", err
		}
		entries, err := os.ReadDir(folder)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return "", err
		}
		if len(entries) > 0 {
			return "", fmt.Errorf("%s is not empty; name another folder", folder)
		}
		return folder, nil
	}, by)
}

// outside refuses a folder where finished files belong: what is handed on would be foreign there.
func (h *House) outside(folder string) error {
	real := folder
	for rest := ""; ; real, rest = filepath.Dir(real), filepath.Join(filepath.Base(real), rest) {
		if there, err := filepath.EvalSymlinks(real); err == nil {
			real = filepath.Join(there, rest)
			break
		}
		if real == filepath.Dir(real) {
			break
		}
	}
	for _, v := range h.Volumes() {
		volume, err := filepath.Abs(v.Folder)
		if err == nil {
			if there, err := filepath.EvalSymlinks(volume); err == nil {
				volume = there
			}
			if rel, err := filepath.Rel(volume, real); err == nil && filepath.IsLocal(rel) {
				return fmt.Errorf("%s lies within %s, where finished files belong; name another folder", folder,
					VolumeTitle(v.Code))
			}
		}
	}
	return nil
}

// A DeliveryBy says which program hands on.
type DeliveryBy struct{ Tool, Version string }

// Deliver copies what a delivery holds that was begun, and is not there yet, makes its products, writes what proves it,
// packs it if it is to be packed, and notes that it is complete. Every file is held against what was recorded when it
// was judged, while it is copied; what is there already is read, and not copied again. It may be ended at any time, and
// called again. progress is told how far it is.
func (h *House) Deliver(
	ctx context.Context, begun store.Delivery, by DeliveryBy, progress func(DeliveryProgress),
) error {
	locked := h.path("work", fmt.Sprintf("delivery-%d.lock", begun.ID))
	unlock, err := lock(locked)
	if err != nil {
		return ErrDelivering
	}
	defer func() { os.Remove(locked); unlock() }()
	if now, err := h.Record.Delivery(begun.ID); err != nil || now.Complete {
		return err
	}
	d, err := h.Record.Delivered(begun.ID)
	if err != nil {
		return err
	}
	told := &telling{tell: progress}
	if d.Recipe.Form == production.InFolder {
		err = h.fill(ctx, begun.Folder, begun, d, by, told)
	} else {
		err = h.fillAndPack(ctx, begun, d, by, told)
	}
	if err != nil {
		return err
	}
	return h.Record.EndDelivery(begun.ID)
}

// ErrDelivering is the error about a delivery that another process copies.
var ErrDelivering = errors.New("somebody else is copying it just now")

// fill brings a folder to what a delivery holds, and seals it.
func (h *House) fill(
	ctx context.Context, folder string, begun store.Delivery, d delivery.Delivery, by DeliveryBy, told *telling,
) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	if err := undoSeal(root); err != nil {
		return err
	}
	if err := removeUnfinished(root); err != nil {
		return err
	}
	if err := h.roomFor(root, folder, d); err != nil {
		return err
	}
	if err := h.copyAll(ctx, root, d, told); err != nil {
		return err
	}
	if err := h.makeProducts(ctx, root, begun, d, told); err != nil {
		return err
	}
	for _, a := range d.Attached {
		if _, err := root.Lstat(a.Name); err == nil { // by an attempt before
			continue
		}
		if err := root.MkdirAll(path.Dir(a.Name), 0o755); err != nil {
			return err
		}
		if err := writeWhole(root, a.Name, bytes.NewReader(a.Data)); err != nil {
			return err
		}
	}
	former, _, _, err := h.FormerDelivery(d.Production, d.Recipe.Code)
	if err != nil {
		return err
	}
	if err := writeManifests(root, begun, d, former); err != nil {
		return err
	}
	how := mhl.Making{
		Format: d.Recipe.Hash, Created: time.Now().Truncate(time.Second), Tool: by.Tool, Version: by.Version,
		Author: begun.By, Process: "transfer",
	}
	how.Host, _ = os.Hostname()
	told.begin("hashing", 0, "file")
	_, _, wrong, err := SealFolder(ctx, folder, how, told.set)
	if err == nil && len(wrong) > 0 {
		err = fmt.Errorf("%s %s: %s", wrong[0].Kind, wrong[0].Path, wrong[0].Text)
	}
	return err
}
