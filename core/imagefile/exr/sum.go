package exr

import (
	"bytes"
	"fmt"
	"io"

	"github.com/cespare/xxhash/v2"

	"reelhouse/core/imagefile"
)

// The sum of a file (imagefile.DataSum) is taken over its headers, with zeros for digits where the sum itself stands,
// then over everything behind the offset tables, and then over these.

// blankSum stands for the sum until it is known, and while it is taken.
var blankSum = bytes.Repeat([]byte("0"), imagefile.DataSumDigits)

func sumText(sum *xxhash.Digest) []byte {
	return fmt.Appendf(nil, "%0*x", imagefile.DataSumDigits, sum.Sum64())
}

// CheckSum reads the whole file and compares it with the sum that it says of itself. A file that says none is not read.
func (r *Reader) CheckSum() error {
	stated := r.parts[0].Attributes.Text(imagefile.DataSum)
	if stated == "" {
		return nil
	}
	header := make([]byte, r.tables)
	if _, err := r.in.ReadAt(header, 0); err != nil {
		return err
	}
	// The value stands behind the name, the type and the length.
	name := append([]byte(imagefile.DataSum), "\x00string\x00\x10\x00\x00\x00"...)
	at := bytes.Index(header, name)
	if at < 0 || len(stated) != imagefile.DataSumDigits {
		return fmt.Errorf("%w: its checksum cannot be read", ErrFormat)
	}
	copy(header[at+len(name):], blankSum)
	sum := xxhash.New()
	sum.Write(header)
	if _, err := io.Copy(sum, io.NewSectionReader(r.in, r.behind, r.size-r.behind)); err != nil {
		return err
	}
	if _, err := io.Copy(sum, io.NewSectionReader(r.in, r.tables, r.behind-r.tables)); err != nil {
		return err
	}
	if got := string(sumText(sum)); got != stated {
		return fmt.Errorf("%w: its checksum is %s and not %s, as it says: it is damaged", ErrFormat, got, stated)
	}
	return nil
}
