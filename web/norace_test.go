//go:build !race

package web

const every = 1
