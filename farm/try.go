package farm

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"runtime"
	"time"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/house"
)

// Try has a job of one file done by a renderer, outside any queue, and judges the file. It returns what is wrong with
// that, what was said, and why the renderer has failed.
func Try(
	ctx context.Context, r Renderer, work string, j job.Job, want inspect.Expected, within time.Duration,
) (problems []string, said string, err error) {
	ctx, stop := context.WithTimeoutCause(ctx, within, fmt.Errorf("it takes longer than %v, and was stopped", within))
	defer stop()
	log := NewLog()
	err = r.Run(ctx, work, j, runtime.NumCPU(), func(job.Message) {}, log)
	if ctx.Err() != nil {
		return nil, log.String(), context.Cause(ctx)
	}
	if err != nil {
		return nil, log.String(), err
	}
	for _, file := range j.Frames[0].Files {
		_, problem, err := judgeFile(JudgedFile{file.Path, want})
		switch {
		case errors.Is(err, fs.ErrNotExist):
			problem = "the renderer did not write it"
		case errors.Is(err, house.ErrNotPlain):
			problem = "it is no plain file"
		case err != nil:
			return problems, log.String(), err
		}
		if problem != "" {
			problems = append(problems, filepath.Base(file.Path)+": "+problem)
		}
	}
	return problems, log.String(), nil
}
