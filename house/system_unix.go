//go:build unix

package house

import (
	"os"
	"syscall"
)

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
