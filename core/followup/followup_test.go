package followup

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// onDisk is the disk of this machine.
var onDisk = Disk{
	Open: func(path string) (File, int64, error) {
		f, err := os.Open(path)
		if err != nil {
			return nil, 0, err
		}
		info, err := f.Stat()
		return f, info.Size(), err
	},
	Create: func(path string) (io.WriteCloser, error) { return os.Create(path) },
}

// order asks for a kind, from files with contents by their names in a new folder, which is returned.
func order(t *testing.T, kind string, contents ...[2]string) (job.FollowUp, string) {
	t.Helper()
	folder := t.TempDir()
	o := job.FollowUp{
		Version: job.Version, Kind: kind,
		Outputs: []job.Output{{Extension: "out", Path: filepath.Join(folder, "made.out")}},
	}
	for i, c := range contents {
		path := filepath.Join(folder, filepath.FromSlash(c[0]))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(c[1]), 0o644); err != nil {
			t.Fatal(err)
		}
		sum := sha256.Sum256([]byte(c[1]))
		o.Inputs = append(o.Inputs, job.Input{
			Frame: 1001 + i, Name: c[0], Path: path, Bytes: int64(len(c[1])), SHA256: hex.EncodeToString(sum[:]),
		})
	}
	return o, folder
}

func made(t *testing.T, o job.FollowUp) string {
	t.Helper()
	if err := Do(o, onDisk, func(job.Message) {}); err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(o.Outputs[0].Path)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// FIPS 180-2, appendix B.1: the sum of "abc".
func TestChecksumsAreThoseOfTheStandard(t *testing.T) {
	o, _ := order(t, "checksums", [2]string{"SALT/a.exr", "abc"})
	const want = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad  SALT/a.exr\n"
	if got := made(t, o); got != want {
		t.Errorf("%q", got)
	}
}

// The GNU core utilities read the list, and find the file that was changed after it.
func TestChecksumsAreCheckedBySha256sum(t *testing.T) {
	tool, err := exec.LookPath("sha256sum")
	if err != nil {
		t.Skip("sha256sum is not here")
	}
	o, folder := order(t, "checksums", [2]string{"a/one.exr", "one"}, [2]string{"a/two 2.exr", "two"},
		[2]string{"a/back\\slash.exr", "three"})
	made(t, o)
	check := func() (string, error) {
		c := exec.Command(tool, "--check", "--strict", "made.out")
		c.Dir = folder
		out, err := c.CombinedOutput()
		return string(out), err
	}
	if out, err := check(); err != nil || strings.Count(out, ": OK") != 3 {
		t.Errorf("%v\n%s", err, out)
	}
	if err := os.WriteFile(filepath.Join(folder, "a", "one.exr"), []byte("onE"), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := check(); err == nil || !strings.Contains(out, "one.exr: FAILED") {
		t.Errorf("%v\n%s", err, out)
	}
}

func TestAnInputThatHasChangedIsRefused(t *testing.T) {
	o, folder := order(t, "checksums", [2]string{"a.exr", "abc"})
	if err := os.WriteFile(o.Inputs[0].Path, []byte("abd"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := Do(o, onDisk, func(job.Message) {}); err == nil || !strings.Contains(err.Error(), "a.exr is not what") {
		t.Error(err)
	}
	if _, err := os.Stat(filepath.Join(folder, "made.out")); !os.IsNotExist(err) {
		t.Error("something was written")
	}
}

// Two pixels of which the values are known: 0.25 and 0.75 have the mean 0.5.
func TestValuesOfAFrame(t *testing.T) {
	img := pixel.New(2, 1, "R", "G", "B", "A")
	for _, plane := range img.Planes {
		copy(plane.Data, []float32{0.25, 0.75})
	}
	var file bytes.Buffer
	e := output.Encoding{Curve: pixel.Linear,
		Format:      output.EXR,
		Depth:       output.Float,
		Alpha:       output.Premultiplied,
		Compression: output.ZIP,
		Level:       6,
	}
	if err := picture.Encode(&file, e, img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	o, _ := order(t, "values", [2]string{"a.exr", file.String()})
	var got struct {
		Frame int
		Files []struct {
			Name          string
			Width, Height int
			Channels      []struct {
				Name           string
				Min, Max, Mean float64
				NaN            int
			}
		}
	}
	if err := json.Unmarshal([]byte(made(t, o)), &got); err != nil {
		t.Fatal(err)
	}
	if got.Frame != 1001 || len(got.Files) != 1 || got.Files[0].Width != 2 || len(got.Files[0].Channels) != 4 {
		t.Fatalf("%+v", got)
	}
	for _, c := range got.Files[0].Channels {
		if c.Min != 0.25 || c.Max != 0.75 || c.Mean != 0.5 || c.NaN != 0 {
			t.Errorf("%+v", c)
		}
	}
}

func TestWhatCannotBeMade(t *testing.T) {
	for name, change := range map[string]func(o *job.FollowUp){
		"another kind":    func(o *job.FollowUp) { o.Kind = "movie" },
		"no input there":  func(o *job.FollowUp) { o.Inputs[0].Path += "x" },
		"no picture":      func(o *job.FollowUp) { o.Kind = "values" },
		"nowhere to put":  func(o *job.FollowUp) { o.Outputs[0].Path = filepath.Join(o.Outputs[0].Path, "x") },
		"a sum of others": func(o *job.FollowUp) { o.Inputs[0].SHA256 = strings.Repeat("0", 64) },
	} {
		o, _ := order(t, "checksums", [2]string{"a.exr", "abc"})
		change(&o)
		if err := Do(o, onDisk, func(job.Message) {}); err == nil {
			t.Errorf("%s: it is made", name)
		}
	}
	full := Disk{Open: onDisk.Open, Create: func(string) (io.WriteCloser, error) { return nil, fs.ErrPermission }}
	o, _ := order(t, "checksums", [2]string{"a.exr", "abc"})
	if err := Do(o, full, func(job.Message) {}); err == nil {
		t.Error("it is made on a disk that takes nothing")
	}
}
