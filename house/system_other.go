//go:build !unix

package house

import "os"

// plainFlags are none here; what a path is was looked at before.
const plainFlags = 0

func isLink(error) bool { return false }

// lock takes a lock by making a file that must not exist yet; it stays after a crash and is then to be
// deleted by hand.
func lock(path string) (func() error, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o644)
	if err != nil {
		return nil, err
	}
	return func() error {
		f.Close()
		return os.Remove(path)
	}, nil
}

// freeBytes returns how much room the disk of a folder has; here that is not known.
func freeBytes(string) float64 { return -1 }

// writable says why nothing can be written into a folder; here that is found out by writing.
func writable(string) error { return nil }
