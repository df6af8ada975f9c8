package job

import (
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"

	"reelhouse/core/frame"
	"reelhouse/core/grade"
	"reelhouse/core/pass"
)

// A FollowUp is an order for what is made from files that are there: a list of checksums, a movie, numbers of a frame.
// Its program is given the path of it as a JSON file, prints Messages as a renderer does, and exits with 0 only if
// every output is written.
type FollowUp struct {
	Version int    `json:"version"` // of the contract
	Kind    string `json:"kind"`    // of work, by its name
	About   About  `json:"about"`
	// Inputs are files in the order of their frames. They are as their sums say when the program is started.
	Inputs []Input `json:"inputs"`
	// Outputs are where the program is to write.
	Outputs    []Output          `json:"outputs"`
	Parameters map[string]string `json:"parameters,omitempty"`
	// Matte and Grade are what is made of a frame's pictures, and Picture says which files of it are written; nil for
	// other kinds. Of these, a program gets the frame's inputs with the passes that it is to read of each.
	Matte   *pass.Matte   `json:"matte,omitempty"`
	Grade   *grade.Frozen `json:"grade,omitempty"`
	Picture *Job          `json:"picture,omitempty"`
}

// About says what the inputs are of.
type About struct {
	Production string     `json:"production"`
	Batch      int64      `json:"batch"`
	Shot       string     `json:"shot"`
	View       string     `json:"view"`
	Size       string     `json:"size"`
	Version    int        `json:"version"`
	Rate       frame.Rate `json:"rate"`
	Frames     frame.Set  `json:"frames"` // of the inputs
}

// An Input is a file that is read.
type Input struct {
	Frame  int    `json:"frame"`
	Name   string `json:"name"` // below the output folder, with slashes; see naming.OnVolume
	Path   string `json:"path"` // on this machine
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"` // in hexadecimal digits
	// Passes are those that the file has, and Read those that are read of it, where pictures are made.
	Passes []pass.Code `json:"passes,omitempty"`
	Read   []pass.Code `json:"read,omitempty"`
}

// An Output is a file that is written.
type Output struct {
	Extension string `json:"extension"` // of its name, by which a program tells its outputs apart
	Path      string `json:"path"`
}

// ReadFollowUp reads an order and checks what every program relies on.
func ReadFollowUp(r io.Reader) (FollowUp, error) {
	var f FollowUp
	d := json.NewDecoder(r)
	d.DisallowUnknownFields()
	if err := d.Decode(&f); err != nil {
		return FollowUp{}, fmt.Errorf("order: %w", err)
	}
	if err := f.check(); err != nil {
		return FollowUp{}, fmt.Errorf("order: %w", err)
	}
	return f, nil
}

func (f FollowUp) check() error {
	switch {
	case f.Version != Version:
		return fmt.Errorf("version %d of the contract is not known here, only %d", f.Version, Version)
	case f.Kind == "":
		return fmt.Errorf("no kind of work is named")
	case len(f.Inputs) == 0:
		return fmt.Errorf("there is no input")
	case len(f.Outputs) == 0:
		return fmt.Errorf("there is no output")
	}
	if f.Picture != nil {
		if err := f.Picture.check(); err != nil {
			return err
		}
	}
	for _, in := range f.Inputs {
		if sum, err := hex.DecodeString(in.SHA256); in.Path == "" || err != nil || len(sum) != 32 || in.Bytes < 0 {
			return fmt.Errorf("input %q has no path, or no sum", in.Name)
		}
	}
	for _, out := range f.Outputs {
		if out.Path == "" {
			return fmt.Errorf("output %q has no path", out.Extension)
		}
	}
	return nil
}
