// Package framefile makes the files of a frame from its picture: reduced, stamped and encoded as a job wants them. The
// picture comes as a whole, in bands, or in tiles that were rendered as steps of their own; the files are the same.
package framefile

import (
	"fmt"
	"image"
	"io"
	"slices"
	"strings"
	"time"

	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/lut"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// A File is one that is being written.
type File interface {
	io.WriteSeeker
	// Commit brings what was written safely to where it stays, and returns how many bytes it is.
	Commit() (int64, error)
	// Abandon removes it.
	Abandon()
}

// Outside is where files go.
type Outside struct {
	// Create begins a file.
	Create func(path string) (File, error)
	// Wrote hears of each file that is complete.
	Wrote func(path string, bytes int64)
	// Table reads a look-up table; see Tables. Nil where no file needs one.
	Table func(path string) (*lut.Transform, error)
}

// A Frame is what the files of a frame are made from beside its picture.
type Frame struct {
	Job    job.Job
	Frame  job.Frame
	Header picture.Header // what all of its files say; windows and facts are added
	// Mattes returns the attributes of the Cryptomattes among passes; nil for a frame without any.
	Mattes func(passes []pass.Code) imagefile.Attributes
}

// header returns what a file says of itself.
func (f Frame) header(out job.File) picture.Header {
	h := f.Header
	if f.Mattes != nil {
		h.Attributes = slices.Concat(h.Attributes, f.Mattes(out.Passes))
	}
	h.Facts = slices.Concat(f.Job.Facts, f.Frame.Facts)
	switch e := out.Encoding; {
	case e.LUT.SHA256 != "":
		h.Facts = append(h.Facts, job.Fact{Name: "viewing", Value: "look-up table " + e.LUT.SHA256})
	case e.Viewing != "":
		h.Facts = append(h.Facts, job.Fact{Name: "viewing", Value: string(e.Viewing)})
	}
	if r := f.Job.Region.Rectangle(); !r.Empty() && !f.Job.CutOut &&
		out.Size == (raster.Size{}) { // a part of a reduced picture is a picture of its own
		h.Window, h.Display = r, image.Rect(0, 0, f.Job.Size.Width, f.Job.Size.Height)
	}
	return h
}

// lines is how many lines of a whole picture are encoded at once, so that not all of it is held a second time.
const lines = 256

// WriteWhole writes files of a picture that is there as a whole, and is used up; rendered is how long it has taken. One
// that cannot be written does not keep the others from being written.
func (f Frame) WriteWhole(img *pixel.Image, files []job.File, rendered time.Duration, o Outside) error {
	var failed failures
	for i, out := range files {
		made, h, err := f.prepare(img, out, rendered, i == len(files)-1, o)
		if err == nil {
			err = f.write(made, out, h, o)
		}
		failed.add(out.Path, err)
	}
	return failed.err()
}

// failures are the files of a frame that could not be written, and why.
type failures []error

func (f *failures) add(path string, err error) {
	if err != nil {
		*f = append(*f, fmt.Errorf("%s: %w", path, err))
	}
}

func (f failures) err() error {
	switch len(f) {
	case 0:
		return nil
	case 1:
		return f[0]
	}
	return several(f)
}

// several are errors that are told in one line.
type several []error

func (s several) Error() string {
	var texts []string
	for _, err := range s {
		texts = append(texts, err.Error())
	}
	return strings.Join(texts, "; ")
}

func (s several) Unwrap() []error { return s }

// prepare returns the picture of one file, reduced and stamped, and what the file says of it. The last file may have
// the whole picture for itself.
func (f Frame) prepare(
	img *pixel.Image, out job.File, rendered time.Duration, last bool, o Outside,
) (*pixel.Image, picture.Header, error) {
	img, err := picture.Select(img, out.Passes)
	if err != nil {
		return nil, picture.Header{}, err
	}
	if out.Size != (raster.Size{}) {
		resized := img.Resize(out.Size.Width, out.Size.Height, out.Kernel, FilteredPlanes(out.Passes, f.Job.Depth))
		last = last || resized != img // of its own size already, it is the picture itself
		img = resized
	}
	h := f.header(out)
	if out.Encoding.Viewed() {
		last = true // it is a copy
		if img, err = view(img, out, o); err != nil {
			return nil, h, err
		}
	}
	if out.Stamp.On {
		if !last {
			img = img.Clone()
		}
		squeeze := f.Job.PixelAspect
		if squeeze == 0 {
			squeeze = 1
		}
		if err := out.Stamp.Timed(rendered).Draw(img, squeeze); err != nil {
			return nil, h, err
		}
		if out.Stamp.Has(stamp.RenderTime) {
			h.Facts = append(h.Facts, job.Fact{Name: stamp.RenderTime, Value: stamp.Took(rendered)})
		}
	}
	return img, h, nil
}

// write encodes one file, in bands.
func (f Frame) write(img *pixel.Image, out job.File, h picture.Header, o Outside) (err error) {
	file, err := o.Create(out.Path)
	if err != nil {
		return err
	}
	w, err := picture.Begin(file, out.Encoding, img.Width, img.Height, out.Passes, h)
	for from := 0; err == nil && from < img.Height; from += lines {
		err = w.Band(img.Crop(image.Rect(0, from, img.Width, min(from+lines, img.Height))))
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		file.Abandon()
		return err
	}
	n, err := file.Commit()
	if err == nil {
		o.Wrote(out.Path, n)
	}
	return err
}

// plain reports whether a file has the pixels that were rendered, so that it can be written as they come.
func plain(out job.File) bool {
	return out.Size == (raster.Size{}) && !out.Stamp.On && !out.Encoding.Viewed()
}

// FilteredPlanes answers which planes of the passes hold values that may be averaged.
func FilteredPlanes(passes []pass.Code, depth pass.DepthStyle) func(plane string) bool {
	filtered := map[string]bool{}
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			continue
		}
		for _, name := range described.ChannelNames() {
			filtered[name] = described.Filtered || code == pass.Depth && depth.Filtered
		}
	}
	return func(plane string) bool { return filtered[plane] }
}

// A Writer writes the files of a frame from bands of its picture, as they come. Files that are reduced or stamped need
// the whole picture, of which their passes are kept.
type Writer struct {
	frame   Frame
	area    image.Rectangle
	outside Outside
	open    []openFile
	later   []job.File
	keep    []pass.Code // that later files need
	kept    *pixel.Image
	line    int
	failed  failures
}

type openFile struct {
	job.File
	file   File
	writer *picture.Writer
}

// Begin begins the files of a frame. If it, or anything after it, fails, the writer has to be abandoned. A file that
// cannot be written is given up; the others are written, and Close says which it was.
func (f Frame) Begin(o Outside) (*Writer, error) {
	w := &Writer{frame: f, area: f.Job.Area(), outside: o}
	for _, out := range f.Frame.Files {
		if !plain(out) {
			w.later, w.keep = append(w.later, out), pass.Sorted(slices.Concat(w.keep, out.Passes))
			continue
		}
		file, err := o.Create(out.Path)
		if err != nil {
			w.failed.add(out.Path, err)
			continue
		}
		writer, err := picture.Begin(file, out.Encoding, w.area.Dx(), w.area.Dy(), out.Passes, f.header(out))
		if err != nil {
			file.Abandon()
			w.failed.add(out.Path, err)
			continue
		}
		w.open = append(w.open, openFile{out, file, writer})
	}
	return w, nil
}

// Band takes the next lines of the picture, in its whole width.
func (w *Writer) Band(band *pixel.Image) error {
	w.open = slices.DeleteFunc(w.open, func(f openFile) bool {
		err := f.writer.Band(band)
		if err != nil {
			f.file.Abandon()
			w.failed.add(f.Path, err)
		}
		return err != nil
	})
	if len(w.later) > 0 {
		needed, err := picture.Select(band, w.keep)
		if err != nil {
			return err
		}
		if w.kept == nil {
			w.kept = blank(needed, w.area.Dx(), w.area.Dy())
		}
		w.kept.Paste(needed, 0, w.line)
	}
	w.line += band.Height
	return nil
}

// Close finishes the files; rendered is how long the picture has taken.
func (w *Writer) Close(rendered time.Duration) error {
	for len(w.open) > 0 {
		f := w.open[0]
		w.open = w.open[1:]
		bytes, err := f.finish()
		if w.failed.add(f.Path, err); err == nil {
			w.outside.Wrote(f.Path, bytes)
		}
	}
	if err := w.frame.WriteWhole(w.kept, w.later, rendered, w.outside); err != nil {
		w.failed = append(w.failed, err)
	}
	return w.failed.err()
}

// finish ends a file, and returns how many bytes it has.
func (f openFile) finish() (int64, error) {
	if err := f.writer.Close(); err != nil {
		f.file.Abandon()
		return 0, err
	}
	return f.file.Commit()
}

// Abandon removes the files that are not finished.
func (w *Writer) Abandon() {
	for _, f := range w.open {
		f.file.Abandon()
	}
	w.open = nil
}

// blank returns an image with the planes of another one.
func blank(like *pixel.Image, width, height int) *pixel.Image {
	img := pixel.New(width, height)
	for _, p := range like.Planes {
		img.Planes = append(img.Planes, pixel.Plane{Name: p.Name, Half: p.Half, Data: make([]float32, width*height)})
	}
	return img
}

// Across puts pictures of one height side by side. Their planes are the same.
func Across(parts []*pixel.Image) *pixel.Image {
	if len(parts) == 1 {
		return parts[0]
	}
	width := 0
	for _, p := range parts {
		width += p.Width
	}
	band, x := blank(parts[0], width, parts[0].Height), 0
	for _, p := range parts {
		band.Paste(p, x, 0)
		x += p.Width
	}
	return band
}
