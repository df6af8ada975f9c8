//go:build !unix

package ffmpeg

// The system's own error for a pipe that nobody reads is not known here.
func isBrokenPipe(error) bool { return false }
