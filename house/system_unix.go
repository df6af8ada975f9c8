//go:build unix

package house

import (
	"errors"
	"os"
	"syscall"

	"golang.org/x/sys/unix"
)

// plainFlags keep a link from being followed, and a pipe from being waited for.
const plainFlags = syscall.O_NOFOLLOW | syscall.O_NONBLOCK

// isLink reports whether a file was not opened since it is a link, or since it can only be opened from its other side.
func isLink(err error) bool {
	return errors.Is(err, syscall.ELOOP) || errors.Is(err, syscall.EMLINK) || errors.Is(err, syscall.ENXIO)
}

// lock takes a lock on a file that ends with the process, however that ends.
func lock(path string) (func() error, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, err
	}
	return f.Close, nil
}

// freeBytes returns how much room the disk of a folder has, or -1 if that is not known.
func freeBytes(folder string) float64 {
	var s syscall.Statfs_t
	if err := syscall.Statfs(folder, &s); err != nil {
		return -1
	}
	return float64(s.Bavail) * float64(s.Bsize)
}

// writable says why nothing can be written into a folder, nil if it can.
func writable(folder string) error { return unix.Access(folder, unix.W_OK) }
