//go:build unix

package house

import (
	"errors"
	"os"
	"syscall"
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

// FreeBytes returns how much room there is for finished files, or -1 if that is not known.
func (h *House) FreeBytes() float64 {
	var s syscall.Statfs_t
	if err := syscall.Statfs(h.Output(), &s); err != nil {
		return -1
	}
	return float64(s.Bavail) * float64(s.Bsize)
}
