//go:build !linux

package farm

// moveWithoutReplacing is not to be had here.
func moveWithoutReplacing(_, _ string) (done bool, err error) { return false, nil }
