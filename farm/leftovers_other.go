//go:build !linux

package farm

// endMarked cannot look at other processes here.
func endMarked(string) int { return 0 }
