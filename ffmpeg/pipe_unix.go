//go:build unix

package ffmpeg

import (
	"errors"
	"syscall"
)

func isBrokenPipe(err error) bool { return errors.Is(err, syscall.EPIPE) }
