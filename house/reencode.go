package house

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"

	"reelhouse/core/delivery"
	"reelhouse/core/framefile"
	"reelhouse/core/job"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// encodeOne encodes a file anew, unless it is there.
func (h *House) encodeOne(ctx context.Context, root *os.Root, d delivery.Delivery, f delivery.File) error {
	switch info, err := root.Lstat(f.To); {
	case err == nil && info.Mode().IsRegular():
		return nil // it has its name since it was whole
	case err == nil:
		return ErrNotPlain
	case !errors.Is(err, fs.ErrNotExist):
		return err
	}
	form := d.Forms[f.Form-1]
	s, err := h.Record.Sequence(d.Parts[f.Part].Rendering)
	if err != nil {
		return err
	}
	b, err := h.Record.BatchAlone(s.BatchID)
	if err != nil {
		return err
	}
	data, err := h.judged(ctx, f.From, f.SHA256)
	if err != nil {
		return err
	}
	spec := s.Spec
	facts := b.Plan.Facts(spec, f.Frame)
	facts.Sent, facts.Output = b.Sent, f.Output
	if scene, err := h.Assets.Scene(b.Plan.Scene); err == nil {
		facts.Lens = LensName(scene, spec.Camera, spec.Setup.At(float64(f.Frame)))
	}
	burnt, err := form.Stamp.Fill(f.Frame, b.Plan.VersionOf(spec), facts.Value)
	if err != nil {
		return err
	}
	order := b.Plan.Picture(spec)
	order.Size, order.Passes = form.Source, form.From
	order.Facts = b.Plan.HeaderFacts(spec, facts)
	out := job.File{Path: f.To, Encoding: form.Encoding, Passes: form.Passes, Stamp: burnt}
	if form.Size != form.Source {
		out.Size, out.Kernel = form.Size, form.Kernel
	}
	if e := &out.Encoding; e.LUT.SHA256 != "" {
		e.LUT.Path = h.Assets.LUTPath(production.LUTFile{SHA256: e.LUT.SHA256})
	}
	frame := framefile.Frame{Job: order, Frame: job.Frame{Number: f.Frame, Files: []job.File{out}}}
	if err := root.MkdirAll(path.Dir(f.To), 0o755); err != nil {
		return err
	}
	outside := framefile.Outside{
		Create: func(name string) (framefile.File, error) { return newRootFile(root, name) },
		Wrote:  func(string, int64) {},
		Table:  framefile.Tables(func(path string) (io.ReadCloser, error) { return os.Open(path) }),
	}
	if f.Leader {
		leader, err := leaderOf(order.Size, order.Passes)
		if err != nil {
			return err
		}
		frame.Frame.Files[0].Stamp = leaderStamp(d, f.Part)
		return frame.WriteWhole(leader, frame.Frame.Files, 0, outside)
	}
	return frame.Again(data, form.Source, outside)
}

// leaderOf returns the dark picture that a leader is written on: nothing but what is stamped on it.
func leaderOf(size raster.Size, passes []pass.Code) (*pixel.Image, error) {
	var names []string
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			return nil, err
		}
		names = append(names, described.ChannelNames()...)
	}
	img := pixel.New(size.Width, size.Height, names...)
	if alpha := img.Plane("A"); alpha != nil {
		for i := range alpha.Data {
			alpha.Data[i] = 1
		}
	}
	return img, nil
}

// leaderStamp returns what a leader says of a sequence.
func leaderStamp(d delivery.Delivery, part int) stamp.Stamp {
	p := d.Parts[part]
	s := stamp.Stamp{On: true, Percent: 6, Opacity: 1, Lines: []stamp.Line{
		{Place: stamp.TopLeft, Text: d.Title}, {Place: stamp.TopRight, Text: fmt.Sprintf("v%03d", p.Version)},
		{Place: stamp.TopMiddle, Text: p.Shot + " " + p.ShotName},
		{Place: stamp.BottomLeft, Text: fmt.Sprintf("%d frames, %s", p.Frames.Count(), d.ShownRate())},
		{Place: stamp.BottomMiddle, Text: d.Recipe.For}, {Place: stamp.BottomRight, Text: p.View + ", " + p.Size},
	}}
	s.Lines = slices.DeleteFunc(s.Lines, func(l stamp.Line) bool { return l.Text == "" })
	return s
}

// judged reads a finished file, which has to be what it was when it was judged.
func (h *House) judged(ctx context.Context, name, sha256 string) ([]byte, error) {
	file, info, err := h.OpenOutput(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if info.Size() > picture.Limit {
		return nil, fmt.Errorf("%s is too large to be encoded anew", name)
	}
	data, err := io.ReadAll(reading{ctx, file})
	if err != nil {
		return nil, err
	}
	if sum, err := SumOf(bytes.NewReader(data)); err != nil || sum.SHA256 != sha256 {
		return nil, errors.Join(err, fmt.Errorf(
			"%s is not what was judged any more; verify it, and render what is lost again", name,
		))
	}
	return data, nil
}

// A rootFile is a file that is written beside its name.
type rootFile struct {
	*os.File
	root       *os.Root
	name, temp string
}

func newRootFile(root *os.Root, name string) (*rootFile, error) {
	temp := path.Join(path.Dir(name), "."+path.Base(name)+PartMark)
	f, err := root.Create(temp)
	return &rootFile{f, root, name, temp}, err
}

// Commit implements framefile.File.
func (f *rootFile) Commit() (int64, error) {
	info, err := f.Stat()
	if err = errors.Join(err, f.Sync(), f.File.Close()); err == nil {
		err = f.root.Rename(f.temp, f.name)
	}
	if err != nil {
		return 0, errors.Join(err, f.root.Remove(f.temp))
	}
	return info.Size(), nil
}

// Abandon implements framefile.File.
func (f *rootFile) Abandon() {
	f.File.Close()
	f.root.Remove(f.temp)
}
