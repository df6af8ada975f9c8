package queue

import (
	"fmt"
	"slices"
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
//	12/010/quay/scope/sums       what follows a sequence, by the name of its kind of work
//	12/010/quay/scope/sums/1001  likewise, where that is done frame by frame
//
// The zero value names nothing.
type Address struct {
	Batch            int64
	Shot, View, Size string // all of them, or none for the batch
	FollowUp         string // the kind of work that follows the sequence, "" for rendering
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
	if len(parts) > 4 && IsKindName(parts[4]) {
		a.FollowUp = parts[4]
		parts = slices.Delete(parts, 4, 5)
	}
	if len(parts) > 4 {
		if a.Frame, err = wholeNumber[int](parts[4]); err != nil {
			return fail(len(strings.Split(text, "/"))-1, "the number of a frame, or the name of a kind of work")
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

// longestKindName is how many letters the name of a kind of work may have.
const longestKindName = 40

// IsKindName reports whether a text may name a kind of work: a letter, and then letters, digits, - and _. So it is
// told from the number of a frame.
func IsKindName(text string) bool {
	for i, r := range text {
		letter := r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z'
		if !letter && (i == 0 || !(r >= '0' && r <= '9' || r == '-' || r == '_')) {
			return false
		}
	}
	return text != "" && len(text) <= longestKindName
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
	if a.FollowUp != "" {
		text += "/" + a.FollowUp
	}
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
	return Address{Batch: a.Batch, Shot: a.Shot, View: a.View, Size: a.Size, FollowUp: a.FollowUp}
}
