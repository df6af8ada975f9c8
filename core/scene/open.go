package scene

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"github.com/qmuntal/gltf"
)

// MaxFileBytes is the size above which a scene file is refused, with the files beside it.
const MaxFileBytes = 1 << 30

// Extensions of the names of scene files.
var fileExtensions = []string{".gltf", ".glb"}

// IsFile reports whether a file of that name can be a scene.
func IsFile(name string) bool {
	for _, ext := range fileExtensions {
		if strings.EqualFold(path.Ext(name), ext) {
			return true
		}
	}
	return false
}

// Read reads a glTF 2.0 file, binary or with everything embedded, or a zip archive that holds one with the files beside
// it. An error says which part of the file is at fault. Features of the standard that this program does not draw are
// listed in Notes.
func Read(r io.Reader) (*Scene, error) { return ReadOne(r, 0) }

// ReadOne is Read for one of the scenes of a file, counted from 1; 0 stands for the one that the file marks as its own.
func ReadOne(r io.Reader, number int) (*Scene, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxFileBytes+1))
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		return readArchive(data, number)
	}
	return read(data, nil, number)
}

// ReadFolder reads the scene file of that name, and what it refers to below the folder that it lies in. The number is
// that of ReadOne.
func ReadFolder(folder fs.FS, name string, number int) (*Scene, error) {
	file, err := folder.Open(name)
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	defer file.Close()
	data, err := io.ReadAll(io.LimitReader(file, MaxFileBytes+1))
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	beside, err := fs.Sub(folder, path.Dir(name))
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	return read(data, beside, number)
}

// FilesBeside returns the names of the files that a scene file of a folder refers to, and that are there. Nothing else
// of it is read.
func FilesBeside(folder fs.FS, name string) ([]string, error) {
	file, err := folder.Open(name)
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	defer file.Close()
	text, err := textOf(file)
	if err != nil {
		return nil, err
	}
	type uri struct {
		URI string `json:"uri"`
	}
	var doc struct {
		Buffers []uri `json:"buffers"`
		Images  []uri `json:"images"`
	}
	if err := json.Unmarshal(text, &doc); err != nil {
		return nil, fmt.Errorf("scene file: not a readable glTF 2.0 file: %w", plainJSON(err))
	}
	var names []string
	for _, u := range slices.Concat(doc.Buffers, doc.Images) {
		if u.URI == "" || strings.HasPrefix(u.URI, "data:") || !fs.ValidPath(u.URI) || slices.Contains(names, u.URI) {
			continue
		}
		if info, err := fs.Stat(folder, path.Join(path.Dir(name), u.URI)); err == nil && info.Mode().IsRegular() {
			names = append(names, u.URI)
		}
	}
	return names, nil
}

// textOf reads the JSON of a scene file, which of a binary one is its first chunk (glTF 2.0, section 4.4).
func textOf(r io.Reader) ([]byte, error) {
	in := bufio.NewReader(r)
	limit := int64(mostText)
	if head, err := in.Peek(20); bytes.HasPrefix(head, []byte("glTF")) {
		if err != nil {
			return nil, fmt.Errorf("scene file: cut short in its header, %d bytes", len(head))
		}
		limit = int64(binary.LittleEndian.Uint32(head[12:]))
		if limit > mostText {
			return nil, fmt.Errorf(
				"scene file: %d MB of text are more than the %d MB that can be read", limit>>20, mostText>>20,
			)
		}
		in.Discard(len(head))
	}
	text, err := io.ReadAll(io.LimitReader(in, limit))
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	return text, nil
}

// readArchive reads the one scene file of a zip archive.
func readArchive(data []byte, number int) (*Scene, error) {
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fmt.Errorf("scene file: a damaged zip archive: %w", err)
	}
	var found []string
	sum := uint64(0)
	for _, f := range archive.File {
		if sum += f.UncompressedSize64; sum > MaxFileBytes || f.UncompressedSize64 > MaxFileBytes {
			return nil, fmt.Errorf("scene file: the archive holds more than %d MB", MaxFileBytes>>20)
		}
		if IsFile(f.Name) {
			found = append(found, f.Name)
		}
	}
	switch {
	case len(found) == 0:
		return nil, fmt.Errorf("scene file: the archive holds no .gltf or .glb file")
	case len(found) > 1:
		return nil, fmt.Errorf(
			"scene file: the archive holds %d scene files (%s); it has to be one", len(found),
			strings.Join(found[:2], ", "),
		)
	case !fs.ValidPath(found[0]):
		return nil, fmt.Errorf("scene file: the archive's name %q cannot be used", found[0])
	}
	return ReadFolder(archive, found[0], number)
}

func read(data []byte, folder fs.FS, number int) (s *Scene, err error) {
	if err := checkContainer(data); err != nil {
		return nil, err
	}
	said, err := textOf(bytes.NewReader(data))
	if err == nil {
		err = checkHead(said)
	}
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	// The decoding package indexes by numbers from the file; what slips past our own checks must not
	// take the program with it.
	defer func() {
		if p := recover(); p != nil {
			s, err = nil, fmt.Errorf("scene file: damaged glTF data: it points at something that is not there")
		}
	}()
	var doc gltf.Document
	files := &beside{folder: folder}
	if err := gltf.NewDecoderFS(bytes.NewReader(data), files).Decode(&doc); err != nil {
		return nil, fmt.Errorf("scene file: not a readable glTF 2.0 file: %w", plainJSON(err))
	}
	r := &reader{doc: &doc, scene: &Scene{}, beside: files, number: number}
	if err := r.all(); err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	r.scene.Extras.Files = files.names
	return r.scene, nil
}

// checkContainer holds the lengths in a GLB header (glTF 2.0, section 4.4) against the file's own.
func checkContainer(data []byte) error {
	switch {
	case len(data) == 0:
		return fmt.Errorf("scene file: the file is empty")
	case len(data) > MaxFileBytes:
		return fmt.Errorf("scene file: larger than %d MB", MaxFileBytes>>20)
	case !bytes.HasPrefix(data, []byte("glTF")):
		if !bytes.HasPrefix(bytes.TrimLeft(data, " \t\r\n"), []byte("{")) {
			return fmt.Errorf("scene file: neither a binary nor a text glTF file")
		}
		return nil // its buffers may stand in the text
	case len(data) < 20:
		return fmt.Errorf("scene file: cut short in its header, %d bytes", len(data))
	case binary.LittleEndian.Uint32(data[4:]) != 2:
		return fmt.Errorf(
			"scene file: it is a binary glTF file of version %d; version 2 is read, as which its "+
				"program may export it again",
			binary.LittleEndian.Uint32(data[4:]),
		)
	}
	total := binary.LittleEndian.Uint32(data[8:])
	if int64(total) > int64(len(data)) {
		return fmt.Errorf("scene file: cut short: it says %d bytes and has %d", total, len(data))
	}
	for at := uint64(12); at < uint64(total); {
		if at+8 > uint64(total) {
			return fmt.Errorf("scene file: a chunk header at byte %d is cut short", at)
		}
		length := uint64(binary.LittleEndian.Uint32(data[at:]))
		if at == 12 && length > mostText {
			return fmt.Errorf(
				"scene file: %d MB of text are more than the %d MB that can be read", length>>20, mostText>>20,
			)
		}
		if at+8+length > uint64(total) {
			return fmt.Errorf("scene file: the chunk at byte %d runs past the end of the file", at)
		}
		at += 8 + length
	}
	return nil
}

// beside is the files that a scene refers to: of its own folder, and those that stand in their own addresses.
type beside struct {
	folder fs.FS // nil if none came with the scene
	taken  int64
	names  []string // that were read
}

// Open is that of fs.FS; everything goes through ReadFile.
func (b *beside) Open(name string) (fs.File, error) {
	return nil, &fs.PathError{Op: "open", Path: name, Err: errors.ErrUnsupported}
}

// ReadFile returns a file's contents.
func (b *beside) ReadFile(name string) ([]byte, error) {
	if rest, ok := strings.CutPrefix(name, "data:"); ok {
		_, text, found := strings.Cut(rest, ";base64,")
		if !found {
			return nil, fmt.Errorf("a data address that is not in base64")
		}
		return base64.StdEncoding.DecodeString(text)
	}
	switch {
	case strings.Contains(name, "://"):
		return nil, fmt.Errorf("%q is an address elsewhere, and nothing is fetched", name)
	case !fs.ValidPath(name):
		return nil, fmt.Errorf("%q lies outside the scene's own folder", name)
	case b.folder == nil:
		return nil, fmt.Errorf("its file %q did not come with the scene", name)
	}
	file, err := b.folder.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("its file %q is missing", name)
	} else if err != nil {
		return nil, err
	}
	defer file.Close()
	data, err := io.ReadAll(io.LimitReader(file, MaxFileBytes-b.taken+1))
	if !slices.Contains(b.names, name) {
		b.names = append(b.names, name)
	}
	if b.taken += int64(len(data)); err == nil && b.taken > MaxFileBytes {
		err = fmt.Errorf("with %q the scene's files are larger than %d MB", name, MaxFileBytes>>20)
	}
	return data, err
}
