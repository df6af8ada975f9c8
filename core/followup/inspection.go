package followup

import (
	"bytes"
	"runtime"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
)

// loopParameter is "yes" for sequences that are to play as a loop.
const loopParameter = "loop"

// inspection looks for what is wrong with each sequence of files that the inputs are.
func inspection(order job.FollowUp, disk Disk, say func(job.Message)) ([]byte, error) {
	paths := map[string]string{}
	var files []inspect.SequenceFile
	for _, in := range order.Inputs {
		paths[in.Name] = in.Path
		files = append(files, inspect.SequenceFile{Name: in.Name, Frame: in.Frame})
	}
	open := func(f inspect.SequenceFile) (inspect.Source, int64, error) { return disk.Open(paths[f.Name]) }
	done := 0
	var found inspect.Inspection
	for _, series := range inspect.SeriesOfFrames(files) {
		s := inspect.NewSequence(inspect.Wanted{
			Frames: order.About.Frames, Loop: order.Parameters[loopParameter] == "yes",
		})
		s.Read(series.Files, runtime.GOMAXPROCS(0), open, func(f inspect.SequenceFile) {
			done++
			progress(order, done, f.Frame, say)
		})
		r := s.Report()
		r.Name = series.Name
		found.Sequences = append(found.Sequences, r)
	}
	var b bytes.Buffer
	err := inspect.Write(&b, found)
	return b.Bytes(), err
}
