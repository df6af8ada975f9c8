// Package followup makes what this program itself can make from files that are there:
//
//	checksums  a list of the SHA-256 sums of all files of a sequence, as `sha256sum --check` of the GNU core utilities
//	           reads it in the output folder
//	inspection what is wrong with the frames of a sequence, by themselves and beside each other, as inspect.Inspection
//	values     the least, the greatest and the mean value of every channel of a frame's files, and how many are no
//	           finite numbers, as JSON
//
// What is made depends on nothing but the order and the contents of its inputs.
package followup

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/work"
)

// Version is another one whenever other files are made of the same inputs.
const Version = "1"

// A File is an input that is read.
type File interface {
	io.ReaderAt
	io.ReadCloser
}

// Disk is where inputs are read and outputs are written.
type Disk struct {
	Open   func(path string) (f File, bytes int64, err error)
	Create func(path string) (io.WriteCloser, error)
}

// Do makes what an order asks for, and says how far it is. It fails if the kind is not one of this package's, or an
// input is not what the order says.
func Do(order job.FollowUp, disk Disk, say func(job.Message)) error {
	var content []byte
	var err error
	switch work.Kind(order.Kind) {
	case work.Checksums:
		content, err = checksums(order, disk, say)
	case work.Inspection:
		content, err = inspection(order, disk, say)
	case work.Values:
		content, err = values(order, disk, say)
	default:
		err = fmt.Errorf("%q is no kind that this program makes by itself", order.Kind)
	}
	if err != nil {
		return err
	}
	for _, out := range order.Outputs {
		if err := write(disk, out.Path, content); err != nil {
			return err
		}
		say(job.Message{Event: job.Wrote, Path: out.Path, Bytes: int64(len(content))})
	}
	say(job.Message{Event: job.Finished})
	return nil
}

func write(disk Disk, path string, content []byte) error {
	f, err := disk.Create(path)
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	return errors.Join(err, f.Close())
}

// tellsOf is how often it is said how far an order is.
const tellsOf = 10

// progress says that so many of the inputs are done, of which a frame was the last.
func progress(order job.FollowUp, done, frame int, say func(job.Message)) {
	if all := len(order.Inputs); done*tellsOf/all != (done-1)*tellsOf/all {
		say(job.Message{Event: job.Progress, Frame: frame, Progress: float64(done) / float64(all)})
	}
}

func checksums(order job.FollowUp, disk Disk, say func(job.Message)) ([]byte, error) {
	var list strings.Builder
	for i, in := range order.Inputs {
		sum, err := sumOf(disk, in.Path)
		if err != nil {
			return nil, err
		}
		if sum != in.SHA256 {
			return nil, fmt.Errorf("%s is not what it was when it was judged", in.Name)
		}
		list.WriteString(line(sum, in.Name))
		progress(order, i+1, in.Frame, say)
	}
	return []byte(list.String()), nil
}

// line returns a line of a list. A name with a backslash or a line end is written with escapes, and marked by a
// backslash before the sum, as the GNU core utilities' manual says of md5sum.
func line(sum, name string) string {
	mark := ""
	if strings.ContainsAny(name, "\\\n\r") {
		mark, name = `\`, strings.NewReplacer(`\`, `\\`, "\n", `\n`, "\r", `\r`).Replace(name)
	}
	return mark + sum + "  " + name + "\n"
}

func sumOf(disk Disk, path string) (string, error) {
	f, _, err := disk.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	hash := sha256.New()
	if _, err := io.Copy(hash, f); err != nil {
		return "", err
	}
	return hex.EncodeToString(hash.Sum(nil)), nil
}

// fileValues are what is said of one file.
type fileValues struct {
	Name     string            `json:"name"`
	Width    int               `json:"width"`
	Height   int               `json:"height"`
	Channels []inspect.Channel `json:"channels"`
}

func values(order job.FollowUp, disk Disk, say func(job.Message)) ([]byte, error) {
	all := struct {
		Frame int          `json:"frame"`
		Files []fileValues `json:"files"`
	}{Frame: order.Inputs[0].Frame}
	for i, in := range order.Inputs {
		f, bytes, err := disk.Open(in.Path)
		if err != nil {
			return nil, err
		}
		report := inspect.Judge(f, bytes, inspect.Expected{})
		if err := f.Close(); err != nil {
			return nil, err
		}
		if len(report.Channels) == 0 {
			return nil, fmt.Errorf("%s: %s", in.Name, strings.Join(report.Problems, "; "))
		}
		all.Files = append(all.Files, fileValues{in.Name, report.Width, report.Height, report.Channels})
		progress(order, i+1, in.Frame, say)
	}
	text, err := json.MarshalIndent(all, "", "  ")
	return append(text, '\n'), err
}
