package house

import (
	"cmp"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"reelhouse/bucket"
	"reelhouse/core/naming"
	"reelhouse/store"
)

// Finished files lie on volumes. One is the folder output in the data folder, whose code is ""; others are folders on
// any disk, or buckets in a store of objects, which the server's configuration names, and paths on them begin with
// their codes; see naming.SplitVolume.
//
// A disk that is not mounted leaves an empty folder behind, where files would seem to be lost, and new ones would fill
// the wrong disk. So the house puts a file with a mark into each volume when it first sees it, and uses the folder only
// while it is there.

// markFile has the mark of a volume.
const markFile = ".reelhouse-volume"

// A VolumeError says why a volume cannot be used.
type VolumeError struct{ reason string }

func (e *VolumeError) Error() string { return e.reason }

func noVolume(format string, args ...any) error { return &VolumeError{fmt.Sprintf(format, args...)} }

// ownVolume is the data folder's own.
func (h *House) ownVolume() store.Volume {
	return store.Volume{Name: "Data folder", Folder: h.Output()}
}

// Volumes returns all volumes, the data folder's own first.
func (h *House) Volumes() []store.Volume { return append([]store.Volume{h.ownVolume()}, h.volumes...) }

// Volume returns a volume by its code.
func (h *House) Volume(code string) (store.Volume, bool) {
	for _, v := range h.Volumes() {
		if v.Code == code { // in its own letters: they are part of paths
			return v, true
		}
	}
	return store.Volume{}, false
}

// VolumeTitle is what a volume is called in a sentence.
func VolumeTitle(code string) string {
	if code == "" {
		return "the data folder"
	}
	return "volume " + code
}

// SetVolumes takes over the volumes of the configuration, and marks those that are new. A volume that is known already
// need not be there: its batches wait for it.
func (h *House) SetVolumes(all []store.Volume) error {
	known, err := h.Record.Volumes()
	if err != nil {
		return err
	}
	slices.SortFunc(all, func(a, b store.Volume) int {
		return strings.Compare(strings.ToLower(a.Code), strings.ToLower(b.Code))
	})
	for i := range all {
		v := &all[i]
		if v.Bucket != "" {
			v.Folder, v.Copies = h.path("buckets", v.Code), cmp.Or(v.Copies, UsualCopies)
		}
		if err := h.checkVolume(*v, all[:i]); err != nil {
			return fmt.Errorf("volume %q: %w", v.Code, err)
		}
		same := func(k store.Volume) bool {
			return k.Code == v.Code && k.Folder == v.Folder && k.Bucket == v.Bucket
		}
		if n := slices.IndexFunc(known, same); n >= 0 {
			v.Mark = known[n].Mark
			continue
		}
		if v.Mark, err = h.mark(*v); err != nil {
			return fmt.Errorf("volume %q: %w", v.Code, err)
		}
	}
	h.volumes = all
	if slices.Equal(all, known) {
		return nil
	}
	if err := h.Record.SetVolumes(all); err != nil { // as on a full disk, on which a server starts all the same
		slog.Warn("commands beside this server do not know its volumes until it is started again", "error", err)
	}
	return nil
}

// checkVolume says why a volume cannot stand beside others, and beside the data folder.
func (h *House) checkVolume(v store.Volume, others []store.Volume) error {
	switch {
	case !naming.ValidCode(v.Code):
		return errors.New("its code needs 1 to 32 letters, digits, hyphens or underscores, the first a letter or digit")
	case v.Bucket != "":
		if err := bucket.Check(v.Bucket); err != nil {
			return err
		}
	case !filepath.IsAbs(v.Folder) || filepath.Clean(v.Folder) != v.Folder:
		return fmt.Errorf("its folder %q is no whole path, such as /disks/archive", v.Folder)
	case within(v.Folder, h.Dir) || within(h.Dir, v.Folder):
		return errors.New("its folder and the data folder lie one within the other")
	}
	for _, o := range others {
		if strings.EqualFold(o.Code, v.Code) {
			return errors.New("there are two of this code")
		}
		if v.Bucket != "" && v.Bucket == o.Bucket {
			return fmt.Errorf("its bucket is that of volume %q", o.Code)
		}
		if within(o.Folder, v.Folder) || within(v.Folder, o.Folder) {
			return fmt.Errorf("its folder and that of volume %q lie one within the other", o.Code)
		}
	}
	return nil
}

// within reports whether a folder is another one, or lies in it.
func within(folder, in string) bool {
	rel, err := filepath.Rel(in, folder)
	return err == nil && filepath.IsLocal(rel)
}

// mark puts a mark into a volume, and returns it, or the one that there is.
func (h *House) mark(v store.Volume) (string, error) {
	if v.Bucket == "" {
		return markVolume(v.Folder)
	}
	return markBucket(v)
}

// markVolume is mark for a folder.
func markVolume(folder string) (string, error) {
	if info, err := os.Stat(folder); err != nil || !info.IsDir() {
		return "", fmt.Errorf("there is no folder %s; make it, or connect its disk", folder)
	}
	mark, err := readMark(folder)
	if err == nil || !errors.Is(err, fs.ErrNotExist) {
		return mark, err
	}
	f, err := os.OpenFile(filepath.Join(folder, markFile), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return "", fmt.Errorf("its folder cannot be written: %s", plainError(err))
	}
	mark = rand.Text()
	_, err = f.WriteString(mark + "\n")
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return "", errors.Join(err, os.Remove(f.Name()))
	}
	return mark, nil
}

// mostMark is the size of the largest mark, in bytes.
const mostMark = 200

func readMark(folder string) (string, error) {
	f, info, err := OpenPlain(filepath.Join(folder, markFile))
	if err != nil {
		return "", err
	}
	defer f.Close()
	if info.Size() == 0 || info.Size() > mostMark {
		return "", fmt.Errorf("its file %s is no mark of a volume; move it away", markFile)
	}
	text := make([]byte, info.Size())
	if _, err := f.ReadAt(text, 0); err != nil {
		return "", err
	}
	return strings.TrimSpace(string(text)), nil
}

// available says why a volume cannot be read, nil if it can.
func (h *House) available(code string) error {
	v, known := h.Volume(code)
	if !known {
		return noVolume("volume %s is not in the server's configuration; name it there, with its folder", code)
	}
	if v.Bucket != "" {
		return h.buckets.available(v)
	}
	if info, err := os.Stat(v.Folder); err != nil || !info.IsDir() {
		return noVolume("the output folder of %s is not there: its disk may not be connected", VolumeTitle(code))
	}
	if code == "" {
		return nil
	}
	switch mark, err := readMark(v.Folder); {
	case errors.Is(err, fs.ErrNotExist):
		return noVolume("the disk of volume %s is not mounted: its folder has no file %s", code, markFile)
	case err != nil:
		return noVolume("volume %s cannot be read: %s", code, plainError(err))
	case mark != v.Mark:
		return noVolume("another disk is connected in the place of volume %s", code)
	}
	return nil
}

// A VolumeState is what can be done with a volume now.
type VolumeState struct {
	Free  float64 // bytes; negative if that is not known
	Fault string  // why nothing can be written there, "" if it can
}

// VolumeState looks at a volume.
func (h *House) VolumeState(code string) VolumeState {
	if err := h.available(code); err != nil {
		return VolumeState{Free: -1, Fault: err.Error()}
	}
	v, _ := h.Volume(code)
	if v.Bucket != "" {
		return VolumeState{Free: -1} // which no store says
	}
	s := VolumeState{Free: freeBytes(v.Folder)}
	if err := writable(v.Folder); err != nil {
		s.Fault = fmt.Sprintf("%s cannot be written: %s", VolumeTitle(code), plainError(err))
	}
	return s
}

// volumeMarks changes whenever a volume does.
func (h *House) volumeMarks() string {
	var b strings.Builder
	for _, v := range h.Volumes() {
		s := h.VolumeState(v.Code)
		fmt.Fprintf(&b, " %s %.0f %s", v.Code, s.Free/1e8, s.Fault)
	}
	return b.String()
}
