//go:build unix

package main

import (
	"runtime"
	"syscall"
)

// peakMemory returns the most bytes of memory that the program has had so far, as the system counts them; 0 if it does
// not.
func peakMemory() int64 {
	var usage syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &usage); err != nil {
		return 0
	}
	if runtime.GOOS == "darwin" {
		return usage.Maxrss
	}
	return usage.Maxrss * 1024
}
