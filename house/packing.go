package house

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/dustin/go-humanize"

	"reelhouse/core/delivery"
	"reelhouse/core/mhl"
	"reelhouse/core/production"
	"reelhouse/store"
)

// An Entry is a file that is packed.
type Entry struct {
	Name  string // in the package
	Bytes int64
	Open  func() (io.ReadCloser, error)
}

// A Package is files as one, which comes out the same whenever it is written: entries are stored as they are, since
// pictures and movies are as small as they get, and all have one time.
type Package struct {
	Form     production.Form
	Entries  []Entry
	Modified time.Time
	sums     sync.Map // CRC-32 of entries that were read, by their place
}

// Size returns how many bytes a zip has.
func (p *Package) Size() (int64, error) {
	var n counter
	err := p.zip(context.Background(), &n, -1)
	return int64(n), err
}

// counter counts what is written.
type counter int64

// Write implements io.Writer.
func (c *counter) Write(b []byte) (int, error) {
	*c += counter(len(b))
	return len(b), nil
}

// WriteFrom writes what a zip has from a byte on.
func (p *Package) WriteFrom(ctx context.Context, w io.Writer, from int64) error {
	return p.zip(ctx, &later{w, from}, from)
}

// later writes what comes after so many bytes.
type later struct {
	to   io.Writer
	skip int64
}

// Write implements io.Writer.
func (l *later) Write(b []byte) (int, error) {
	skipped := min(l.skip, int64(len(b)))
	if l.skip -= skipped; skipped == int64(len(b)) {
		return len(b), nil
	}
	n, err := l.to.Write(b[skipped:])
	return int(skipped) + n, err
}

// nothing stands for bytes that are not needed.
var nothing [1 << 20]byte

// Flags of an entry (PKWARE's APPNOTE.TXT, section 4.4.4).
const (
	sumsBehind  = 1 << 3
	namesInUTF8 = 1 << 11
)

// zip writes a zip. Of what lies before a byte, nothing has to be right but its length; -1 stands for all of it.
func (p *Package) zip(ctx context.Context, w io.Writer, from int64) error {
	var n counter
	z := zip.NewWriter(io.MultiWriter(w, &n))
	for i, e := range p.Entries {
		// Sums and sizes stand behind the bytes, since they are not known before.
		h := &zip.FileHeader{Name: e.Name, Method: zip.Store, Flags: sumsBehind | namesInUTF8}
		//lint:ignore SA1019 what is created raw takes its time from these fields alone
		h.SetModTime(p.Modified)
		h.CompressedSize64, h.UncompressedSize64 = uint64(e.Bytes), uint64(e.Bytes)
		to, err := z.CreateRaw(h)
		if err == nil {
			err = z.Flush()
		}
		if err != nil {
			return err
		}
		sum, known := p.sums.Load(i)
		if from < 0 || known && int64(n)+e.Bytes <= from {
			err = blank(to, e.Bytes)
		} else if int64(n)+e.Bytes <= from {
			if sum, err = p.copy(ctx, io.Discard, e); err == nil {
				err = blank(to, e.Bytes)
			}
		} else {
			sum, err = p.copy(ctx, to, e)
		}
		if err != nil {
			return err
		}
		if sum != nil {
			p.sums.Store(i, sum)
			h.CRC32 = sum.(uint32)
		}
	}
	return z.Close()
}

// blank writes so many bytes that nobody reads.
func blank(to io.Writer, n int64) error {
	for n > 0 {
		part := min(n, int64(len(nothing)))
		if _, err := to.Write(nothing[:part]); err != nil {
			return err
		}
		n -= part
	}
	return nil
}

// copy copies an entry, and returns its CRC-32.
func (p *Package) copy(ctx context.Context, to io.Writer, e Entry) (any, error) {
	f, err := e.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	sum := crc32.NewIEEE()
	n, err := io.Copy(io.MultiWriter(to, sum), io.LimitReader(reading{ctx, f}, e.Bytes+1))
	if err == nil && n != e.Bytes {
		err = fmt.Errorf("%s has changed while it was packed", e.Name)
	}
	return sum.Sum32(), err
}

// tar writes a tar.
func (p *Package) tar(ctx context.Context, w io.Writer, told *telling) error {
	t := tar.NewWriter(w)
	for _, e := range p.Entries {
		err := t.WriteHeader(&tar.Header{
			Typeflag: tar.TypeReg, Name: e.Name, Size: e.Bytes, Mode: 0o644, ModTime: p.Modified, Format: tar.FormatPAX,
		})
		if err == nil {
			_, err = p.copy(ctx, t, e)
		}
		if err != nil {
			return err
		}
		told.further(1, e.Bytes)
	}
	return t.Close()
}

// PackageOf returns a folder as a package. Folders without files are left out.
func PackageOf(folder string, form production.Form, modified time.Time) (*Package, error) {
	p := &Package{Form: form, Modified: modified.UTC().Truncate(2 * time.Second)} // as precise as a zip is
	err := fs.WalkDir(os.DirFS(folder), ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		if !info.Mode().IsRegular() {
			return fmt.Errorf("%s: %w", name, ErrNotPlain)
		}
		p.Entries = append(p.Entries, Entry{name, info.Size(), func() (io.ReadCloser, error) {
			f, _, err := OpenPlain(filepath.Join(folder, filepath.FromSlash(name)))
			return f, err
		}})
		return nil
	})
	return p, err
}

// PackageName returns what a packed delivery is called, in its folder.
func PackageName(begun store.Delivery, form production.Form) string {
	return fmt.Sprintf("%s_%s_%03d.%s", begun.Production, begun.Recipe, begun.Number, form)
}

// fillAndPack brings what a delivery holds together beside the house's work, and packs that.
func (h *House) fillAndPack(
	ctx context.Context, begun store.Delivery, d delivery.Delivery, by DeliveryBy, told *telling,
) error {
	beside := h.path("work", fmt.Sprintf("delivery-%d", begun.ID))
	sealed := filepath.Join(beside, mhl.Dir, mhl.ChainName)
	if _, err := os.Lstat(sealed); errors.Is(err, fs.ErrNotExist) {
		if err := h.fill(ctx, beside, begun, d, by, told); err != nil {
			return err
		}
	} else if err != nil {
		return err
	}
	p, err := PackageOf(beside, d.Recipe.Form, begun.Begun)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(begun.Folder, 0o755); err != nil {
		return err
	}
	if err := pack(ctx, p, begun.Folder, PackageName(begun, d.Recipe.Form), told); err != nil {
		return err
	}
	return os.RemoveAll(beside)
}

// pack writes a package beside its name, and goes on where it was ended before.
func pack(ctx context.Context, p *Package, folder, name string, told *telling) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	if _, err := root.Lstat(name); err == nil { // only the record does not know yet
		return nil
	}
	temp := "." + name + PartMark
	f, err := root.OpenFile(temp, os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return err
	}
	defer f.Close()
	r := &resumed{f: f}
	if r.have, err = f.Seek(0, io.SeekEnd); err != nil {
		return err
	}
	if err := roomToPack(p, folder, r.have); err != nil {
		return err
	}
	told.begin("packing", len(p.Entries), "file")
	if p.Form == production.InTar {
		err = p.tar(ctx, r, told)
	} else {
		for i := range p.Entries {
			open := p.Entries[i].Open
			p.Entries[i].Open = func() (io.ReadCloser, error) { told.further(1, p.Entries[i].Bytes); return open() }
		}
		err = p.zip(ctx, r, 0)
	}
	if err == nil {
		err = f.Truncate(r.at)
	}
	if err = errors.Join(err, f.Sync()); err != nil {
		return err
	}
	if err := root.Rename(temp, name); err != nil {
		return err
	}
	dir, err := root.Open(".")
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}

func roomToPack(p *Package, folder string, have int64) error {
	needed := -have
	for _, e := range p.Entries {
		needed += e.Bytes + 1024
	}
	if free := freeBytes(folder); free >= 0 && float64(needed)+roomLeft > free {
		return fmt.Errorf("%s is missing on the disk of %s for the package",
			humanize.Bytes(uint64(float64(needed)+roomLeft-free)), folder)
	}
	return nil
}

// resumed writes a file again that has its first bytes already: these are compared, and written only from where they
// are others.
type resumed struct {
	f        *os.File
	at, have int64
	buffer   []byte
}

// Write implements io.Writer.
func (r *resumed) Write(b []byte) (int, error) {
	if there := min(int64(len(b)), r.have-r.at); there > 0 {
		if int64(len(r.buffer)) < there {
			r.buffer = make([]byte, max(there, 1<<16))
		}
		is := r.buffer[:there]
		if _, err := r.f.ReadAt(is, r.at); err != nil {
			return 0, err
		}
		if !bytes.Equal(is, b[:there]) {
			r.have = r.at
			if err := r.f.Truncate(r.at); err != nil {
				return 0, err
			}
		} else if r.at += there; there == int64(len(b)) {
			return len(b), nil
		} else {
			n, err := r.f.WriteAt(b[there:], r.at)
			r.at += int64(n)
			return int(there) + n, err
		}
	}
	n, err := r.f.WriteAt(b, r.at)
	r.at += int64(n)
	return n, err
}

// OpenPackage returns a folder as a zip that is made while it is read, from any byte on.
func OpenPackage(ctx context.Context, folder string, modified time.Time) (io.ReadSeekCloser, error) {
	if _, err := os.Stat(folder); err != nil {
		return nil, err
	}
	p, err := PackageOf(folder, production.InZip, modified)
	if err != nil {
		return nil, err
	}
	return p.Reader(ctx)
}

// Reader returns the package as a zip that is made while it is read, from any byte on.
func (p *Package) Reader(ctx context.Context) (io.ReadSeekCloser, error) {
	size, err := p.Size()
	if err != nil {
		return nil, err
	}
	return &packageReader{ctx: ctx, of: p, size: size}, nil
}

// packageReader reads a package while it is made.
type packageReader struct {
	ctx      context.Context
	of       *Package
	at, size int64
	made     *io.PipeReader // nil until it is read
	end      context.CancelFunc
	ended    chan struct{}
}

// Seek implements io.Seeker.
func (r *packageReader) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += r.at
	case io.SeekEnd:
		offset += r.size
	}
	if offset < 0 {
		return r.at, errors.New("before the beginning of the package")
	}
	if offset != r.at {
		r.Close()
	}
	r.at = offset
	return r.at, nil
}

// Read implements io.Reader.
func (r *packageReader) Read(b []byte) (int, error) {
	if r.at >= r.size {
		return 0, io.EOF
	}
	if r.made == nil {
		out, in := io.Pipe()
		ctx, end := context.WithCancel(r.ctx)
		ended := make(chan struct{})
		from := r.at
		go func() {
			defer close(ended)
			in.CloseWithError(r.of.WriteFrom(ctx, in, from))
		}()
		r.made, r.end, r.ended = out, end, ended
	}
	n, err := r.made.Read(b)
	r.at += int64(n)
	return n, err
}

// Close implements io.Closer. What is read afterwards is made again.
func (r *packageReader) Close() error {
	if r.made != nil {
		r.end()
		r.made.Close()
		<-r.ended
		r.made = nil
	}
	return nil
}
