//go:build race

package kit_test

// every is how many hostile values one is tried of: the race detector makes everything ten times slower.
const every = 6
