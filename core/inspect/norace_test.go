//go:build !race

package inspect

const raced = false
