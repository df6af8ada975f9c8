package imagefile

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"github.com/klauspost/compress/zlib"
)

// An Inflater reads zlib streams (RFC 1950) whose length is known, with memory that it uses again. The zero value
// works.
type Inflater struct {
	// Longer allows streams that hold more, and bytes behind their end, as some writers of TIFF leave them in the last
	// strip.
	Longer bool

	source bytes.Reader
	stream io.ReadCloser
}

// Fill fills out from a stream that is exactly as long, and whose sum is right.
func (f *Inflater) Fill(out, packed []byte) error {
	if err := f.fill(out, packed); err != nil {
		return err
	}
	if f.source.Len() > 0 && !f.Longer {
		return fmt.Errorf("%d bytes stand behind its end", f.source.Len())
	}
	return nil
}

func (f *Inflater) fill(out, packed []byte) (err error) {
	f.source.Reset(packed)
	if f.stream == nil {
		f.stream, err = zlib.NewReader(&f.source)
	} else {
		err = f.stream.(zlib.Resetter).Reset(&f.source, nil)
	}
	if err != nil {
		return err
	}
	if _, err = io.ReadFull(f.stream, out); err != nil {
		return err
	}
	// The sum (RFC 1950, section 2.2) is compared at the end of the data, which has to be read for that.
	var more [1]byte
	n, err := io.ReadFull(f.stream, more[:])
	if n > 0 && f.Longer {
		_, err = io.Copy(io.Discard, f.stream)
		return err
	}
	switch {
	case n > 0:
		return fmt.Errorf("it holds more than %d bytes", len(out))
	case !errors.Is(err, io.EOF):
		return err
	}
	return nil
}

// DataSum is the name of an attribute that holds the xxHash64 of what a file stores, as DataSumDigits hexadecimal
// digits. The sums of deflated data do not tell damage that gives the same samples, and most formats have none for the
// rest.
const DataSum = "reelhouse:dataSum"

// DataSumDigits is the length of a sum.
const DataSumDigits = 16
