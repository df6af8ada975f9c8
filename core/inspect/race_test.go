//go:build race

package inspect

// raced says that the race detector looks on, which makes painting ten times slower.
const raced = true
