package preview

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"reelhouse/house"
	"reelhouse/house/waiting"
)

// Viewings keeps small files of frames by which they are played: 8 bits, as they look on the screen. They may be
// deleted at any time, and are made again when they are wanted.
type Viewings struct {
	house *house.House
	line  *waiting.Line
	shelf *waiting.Shelf[Viewing]

	most, room int64 // bytes that all of them may take, and that are left free on the disk

	mutex sync.Mutex
	bytes int64 // that they take; -1 until it was looked
}

// A Viewing is a file by which a pass of a frame is played.
type Viewing struct {
	JPEG  []byte
	Words string // what it shows, and how
}

// A Viewed names a pass of a frame. Another file of the frame makes another one of it.
type Viewed struct {
	Sequence     int64
	Frame        int
	Output, Pass string
	Through      string // pixel.Viewing
	SHA256       string // of the frame's files
}

// Bounds of the viewing files.
const (
	mostViewingBytes = 8 << 30
	viewingRoom      = 1 << 30 // that is left free
	viewingsAtOnce   = 2
	viewingQuality   = 92
	keptViewings     = 400 // in memory
	keptViewingBytes = 100 << 20
)

// NewViewings returns the viewing files of a house.
func NewViewings(h *house.House) *Viewings {
	return &Viewings{
		house: h, line: waiting.NewLine(viewingsAtOnce), most: mostViewingBytes, room: viewingRoom, bytes: -1,
		shelf: waiting.NewShelf(
			keptViewings, keptViewingBytes, func(v Viewing) int64 { return int64(len(v.JPEG) + len(v.Words)) },
		),
	}
}

func (s *Viewings) path(v Viewed) string {
	folder := filepath.Join(s.house.Viewing(), strconv.FormatInt(v.Sequence, 10))
	sum := sha256.Sum256([]byte(key(v.Output, v.Pass, v.Through, v.SHA256)))
	return filepath.Join(folder, fmt.Sprintf("%x_%d.jpg", sum, v.Frame))
}

// Has reports whether a viewing file is there.
func (s *Viewings) Has(v Viewed) bool {
	_, err := os.Stat(s.path(v))
	return err == nil
}

// Get returns a viewing file. If it is not there, draw makes the picture, and says how it shows what; then the file is
// kept, if there is room.
func (s *Viewings) Get(
	ctx context.Context, v Viewed, draw func(ctx context.Context) (*image.NRGBA, string, error),
) (Viewing, error) {
	path := s.path(v)
	return s.shelf.Get(ctx, path, func(ctx context.Context) (Viewing, error) {
		if there, err := readViewing(path); err == nil {
			now := time.Now()
			os.Chtimes(path, now, now) // what is looked at is kept longest
			return there, nil
		}
		return waiting.In(ctx, s.line, func() (Viewing, error) {
			img, words, err := draw(ctx)
			if err != nil {
				return Viewing{}, err
			}
			made, err := newViewing(img, words)
			if err == nil {
				s.keep(path, made)
			}
			return made, err
		})
	})
}

// newViewing encodes a picture without holes.
func newViewing(img *image.NRGBA, words string) (Viewing, error) {
	var b bytes.Buffer
	opaque := &image.RGBA{Pix: img.Pix, Stride: img.Stride, Rect: img.Rect} // the same, where nothing shows through
	if err := jpeg.Encode(&b, opaque, &jpeg.Options{Quality: viewingQuality}); err != nil {
		return Viewing{}, err
	}
	return Viewing{JPEG: commented(b.Bytes(), words), Words: words}, nil
}

// Markers of JPEG (ITU-T T.81, table B.1).
const (
	startOfImage = "\xff\xd8"
	comment      = "\xff\xfe"
)

// commented puts words into a JPEG file, as the first of its segments.
func commented(file []byte, words string) []byte {
	length := len(words) + 2
	head := startOfImage + comment + string([]byte{byte(length >> 8), byte(length)}) + words
	return append([]byte(head), file[len(startOfImage):]...)
}

// readViewing reads a file that was kept. One that was cut off, as by a crash, is none.
func readViewing(path string) (Viewing, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return Viewing{}, err
	}
	head, end := len(startOfImage+comment), "\xff\xd9"
	if len(data) < head+2 || string(data[:head]) != startOfImage+comment || !bytes.HasSuffix(data, []byte(end)) {
		return Viewing{}, fmt.Errorf("%s is no viewing file", path)
	}
	length := int(data[head])<<8 | int(data[head+1])
	if length < 2 || head+length > len(data) {
		return Viewing{}, fmt.Errorf("%s is no viewing file", path)
	}
	return Viewing{JPEG: data, Words: string(data[head+2 : head+length])}, nil
}

// keep writes a viewing file beside its name, and gives it that. Without room, nothing is kept: it can be made again.
func (s *Viewings) keep(path string, v Viewing) {
	size := int64(len(v.JPEG))
	if free := s.house.VolumeState("").Free; free >= 0 && free < float64(s.room+size) {
		return
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return
	}
	temp := path + house.PartMark + "0"
	if err := os.WriteFile(temp, v.JPEG, 0o644); err != nil {
		os.Remove(temp)
		return
	}
	if err := os.Rename(temp, path); err != nil {
		os.Remove(temp)
		return
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.bytes < 0 {
		s.bytes = 0
		for _, f := range s.all() {
			s.bytes += f.bytes
		}
	} else {
		s.bytes += size
	}
	if s.bytes > s.most {
		s.clear()
	}
}

type viewingFile struct {
	path  string
	bytes int64
	at    time.Time
}

func (s *Viewings) all() []viewingFile {
	var all []viewingFile
	filepath.WalkDir(s.house.Viewing(), func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return nil
		}
		if info, err := d.Info(); err == nil && info.Mode().IsRegular() {
			all = append(all, viewingFile{path, info.Size(), info.ModTime()})
		}
		return nil
	})
	return all
}

// clear removes those that nobody has looked at for longest, a tenth more than has to be.
func (s *Viewings) clear() {
	all := s.all()
	slices.SortFunc(
		all,
		func(a, b viewingFile) int { return cmp.Or(a.at.Compare(b.at), strings.Compare(a.path, b.path)) },
	)
	s.bytes = 0
	for _, f := range all {
		s.bytes += f.bytes
	}
	for _, f := range all {
		if s.bytes <= s.most-s.most/10 {
			return
		}
		if err := os.Remove(f.path); err == nil || errors.Is(err, fs.ErrNotExist) {
			s.bytes -= f.bytes
		}
	}
}
