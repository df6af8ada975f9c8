// Package plaintext reads text files in the codes and with the line ends in which programs save them: UTF-8 (RFC 3629)
// with or without a byte order mark, UTF-16 (RFC 2781) in either order of bytes, and, where a file is neither, the
// one-byte code of Western European Windows, which is ISO 8859-1 (Latin-1) in all letters.
package plaintext

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// A Text is what a file says.
type Text struct {
	// Lines end with "\n" alone, whichever way the file ended them; a byte order mark is gone.
	Lines string
	// Code is how the file was written: "UTF-8", "UTF-16" or "Latin-1".
	Code string
}

// ErrNoText is the error of a file that holds bytes which no text has.
var ErrNoText = errors.New("this is no text file")

// Read reads a whole file of at most so many bytes.
func Read(r io.Reader, most int64) (Text, error) {
	data, err := io.ReadAll(io.LimitReader(r, most+1))
	if err != nil {
		return Text{}, err
	}
	if int64(len(data)) > most {
		return Text{}, fmt.Errorf("the file is larger than %d MB", most>>20)
	}
	return Decode(data)
}

// Decode reads the bytes of a file.
func Decode(data []byte) (Text, error) {
	code, decoder := codeOf(data)
	if decoder != nil {
		var err error
		if data, err = decoder.NewDecoder().Bytes(data); err != nil {
			return Text{}, ErrNoText
		}
	}
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	if bytes.IndexByte(data, 0) >= 0 {
		return Text{}, ErrNoText
	}
	text := string(data)
	if strings.IndexByte(text, '\r') >= 0 {
		text = strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
	}
	return Text{text, code}, nil
}

// codeOf returns the code of a file's bytes, and how it is read; nil where that is UTF-8 already.
func codeOf(data []byte) (string, encoding.Encoding) {
	switch {
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}), zeros(data, 1):
		return "UTF-16", unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case bytes.HasPrefix(data, []byte{0xfe, 0xff}), zeros(data, 0):
		return "UTF-16", unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	case utf8.Valid(data):
		return "UTF-8", nil
	}
	return "Latin-1", charmap.Windows1252
}

// zeros reports whether the beginning of a file without a byte order mark has zeros in every second place and nowhere
// else, as plain letters have in UTF-16.
func zeros(data []byte, odd int) bool {
	begin := data[:min(len(data), 64)]
	if len(begin) < 2 {
		return false
	}
	for i, b := range begin {
		if (b == 0) != (i%2 == odd) {
			return false
		}
	}
	return true
}
