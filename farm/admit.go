package farm

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"time"

	"reelhouse/assets"
	"reelhouse/core/job"
)

// An Admittance is an order to read a file that comes in for the first time.
type Admittance struct {
	Kind assets.Admission `json:"kind"`
	Path string           `json:"path"`
}

// admitWithin is how long the first reading of a file may take.
const admitWithin = 5 * time.Minute

// Admit has a file that comes in read by a process of its own, under limits. It returns what is wrong with the file:
// only one that was read there is read by the server.
func Admit(reader Renderer, work string, kind assets.Admission, path string) error {
	ctx, cancel := context.WithTimeout(context.Background(), admitWithin)
	defer cancel()
	reader.Memory = kind.Memory()
	failure := ""
	heard := func(m job.Message) {
		if m.Event == job.Failed {
			failure = m.Text
		}
	}
	err := reader.Run(ctx, work, Admittance{kind, path}, runtime.NumCPU(), heard, NewLog())
	var start *startError
	switch {
	case err == nil:
		return nil
	case failure != "":
		return errors.New(failure)
	case ctx.Err() != nil:
		return fmt.Errorf("reading it takes longer than %v", admitWithin)
	case errors.As(err, &start):
		return err
	}
	return fmt.Errorf(
		"reading it takes more than the %.0f GB of memory that are allowed for it, or breaks the reader",
		float64(kind.Memory())/1e9,
	)
}
