package queue

import (
	"fmt"
	"strconv"
	"strings"
)

// An Address names a batch, a sequence of it, a frame of that, or a tile of that, in one way everywhere: printed, typed
// and linked. Its parts stand between slashes:
//
//	12                           batch 12
//	12/010/quay/scope            its sequence: shot, view and size
//	12/010/quay/scope/1001       a frame of that, which is a task
//	12/010/quay/scope/1001/3     a tile of that, from 1
//
// The zero value names nothing.
type Address struct {
	Batch            int64
	Shot, View, Size string // all of them, or none for the batch
	Frame            int
	Framed           bool // whether a frame is named
	Tile             int  // 0 for none
}

// ParseAddress reads an address. The error says what is wrong, and where.
func ParseAddress(text string) (a Address, err error) {
	parts := strings.Split(text, "/")
	fail := func(i int, wanted string) (Address, error) {
		return Address{}, fmt.Errorf("address %q: part %d is to be %s", text, i+1, wanted)
	}
	if len(parts) != 1 && (len(parts) < 4 || len(parts) > 6) {
		return Address{}, fmt.Errorf(
			"address %q: write BATCH, BATCH/SHOT/VIEW/SIZE, or one with /FRAME or /FRAME/TILE "+
				"behind it",
			text,
		)
	}
	if a.Batch, err = wholeNumber[int64](parts[0]); err != nil || a.Batch < 1 {
		return fail(0, "the number of a batch")
	}
	if len(parts) == 1 {
		return a, nil
	}
	for i, to := range []*string{&a.Shot, &a.View, &a.Size} {
		if *to = parts[i+1]; *to == "" {
			return fail(i+1, []string{"the code of a shot", "the code of a view", "the code of a size"}[i])
		}
	}
	if len(parts) > 4 {
		if a.Frame, err = wholeNumber[int](parts[4]); err != nil {
			return fail(4, "the number of a frame")
		}
		a.Framed = true
	}
	if len(parts) > 5 {
		if a.Tile, err = wholeNumber[int](parts[5]); err != nil || a.Tile < 1 {
			return fail(5, "the number of a tile, from 1")
		}
	}
	return a, nil
}

// wholeNumber reads a number as it is written: no sign but -, and no zeros before it.
func wholeNumber[N int | int64](text string) (N, error) {
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || int64(N(n)) != n || strconv.FormatInt(n, 10) != text {
		return 0, fmt.Errorf("%q is no whole number", text)
	}
	return N(n), nil
}

// String returns the address as it is written, "" for the zero value.
func (a Address) String() string {
	if a.Batch == 0 {
		return ""
	}
	text := strconv.FormatInt(a.Batch, 10)
	if a.Shot == "" {
		return text
	}
	text += "/" + a.Shot + "/" + a.View + "/" + a.Size
	if a.Framed {
		text += "/" + strconv.Itoa(a.Frame)
	}
	if a.Tile > 0 {
		text += "/" + strconv.Itoa(a.Tile)
	}
	return text
}

// Sequence returns the address of the sequence that it is in.
func (a Address) Sequence() Address {
	return Address{Batch: a.Batch, Shot: a.Shot, View: a.View, Size: a.Size}
}
