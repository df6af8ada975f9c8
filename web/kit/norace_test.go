//go:build !race

package kit_test

const every = 1
