//go:build race

package web

// every is how many hostile values one is tried of: the race detector makes everything ten times slower.
const every = 6
