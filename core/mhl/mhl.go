// Package mhl proves that a folder is complete and unchanged: by the hash lists of the ASC Media Hash List, version 2.0
// (from memory; the values of its documented example come out of it). A folder carries its own history: in ascmhl/
// there is a hash list for each time that its files were read, a generation, and a chain that says what those were.
//
//	list, err := mhl.Seal(ctx, os.DirFS(folder), mhl.Making{Format: mhl.XXH64, Created: now}, nil)
//	report, err := mhl.Check(ctx, os.DirFS(folder), nil)
//
// What is not done: renaming is not followed, and the history of a folder that has one of its own is checked as one,
// and not named in that of the folder around it.
package mhl

import (
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha512"
	"encoding/hex"
	"fmt"
	"hash"
	"math/big"
	"slices"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"
	"github.com/zeebo/xxh3"
)

// A Format is a kind of hash, by the name that it has in a list.
type Format string

// The formats.
const (
	XXH64  Format = "xxh64"
	XXH3   Format = "xxh3"
	XXH128 Format = "xxh128"
	MD5    Format = "md5"
	SHA1   Format = "sha1"
	C4     Format = "c4" // SMPTE ST 2114: a SHA-512 in 90 letters
)

// Formats returns all formats, in the order in which they are offered.
func Formats() []Format { return []Format{XXH64, XXH3, XXH128, MD5, SHA1, C4} }

// Check says whether the format is known.
func (f Format) Check() error {
	if !slices.Contains(Formats(), f) {
		return fmt.Errorf("there is no hash %q; there are xxh64, xxh3, xxh128, md5, sha1 and c4", string(f))
	}
	return nil
}

// hasher returns what computes hashes of the format, which must be known.
func (f Format) hasher() hash.Hash {
	switch f {
	case XXH3:
		return xxh3.New()
	case XXH128:
		return wide{xxh3.New()}
	case MD5:
		return md5.New()
	case SHA1:
		return sha1.New()
	case C4:
		return sha512.New()
	}
	return xxhash.New()
}

// wide is the hash of 128 bits.
type wide struct{ *xxh3.Hasher }

// Sum implements hash.Hash.
func (w wide) Sum(b []byte) []byte {
	sum := w.Sum128().Bytes()
	return append(b, sum[:]...)
}

// Size implements hash.Hash.
func (wide) Size() int { return 16 }

// text writes a hash as lists have it.
func (f Format) text(sum []byte) string {
	if f == C4 {
		return c4(sum)
	}
	return hex.EncodeToString(sum)
}

// bytes reads a hash as lists have it.
func (f Format) bytes(text string) ([]byte, error) {
	if f == C4 {
		return fromC4(text)
	}
	b, err := hex.DecodeString(text)
	if err != nil || len(b) != f.hasher().Size() {
		return nil, fmt.Errorf("%q is no hash of %s", text, f)
	}
	return b, nil
}

// Of returns the hash of bytes, as lists have it.
func (f Format) Of(data []byte) string {
	h := f.hasher()
	h.Write(data)
	return f.text(h.Sum(nil))
}

// The letters of a C4 identifier, and how many follow its first two.
const (
	c4Letters = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
	c4Length  = 88
)

func c4(sum []byte) string {
	n, base, digit := new(big.Int).SetBytes(sum), big.NewInt(int64(len(c4Letters))), new(big.Int)
	letters := []byte(strings.Repeat("1", c4Length))
	for i := c4Length - 1; n.Sign() > 0; i-- {
		n.DivMod(n, base, digit)
		letters[i] = c4Letters[digit.Int64()]
	}
	return "c4" + string(letters)
}

func fromC4(text string) ([]byte, error) {
	letters, found := strings.CutPrefix(text, "c4")
	n, base := new(big.Int), big.NewInt(int64(len(c4Letters)))
	if found && len(letters) == c4Length {
		for i := range c4Length {
			digit := strings.IndexByte(c4Letters, letters[i])
			if digit < 0 {
				found = false
				break
			}
			n.Add(n.Mul(n, base), big.NewInt(int64(digit)))
		}
	}
	if !found || len(letters) != c4Length || n.BitLen() > 8*sha512.Size {
		return nil, fmt.Errorf("%q is no C4 identifier", text)
	}
	return n.FillBytes(make([]byte, sha512.Size)), nil
}

// An Action is what a hash came from.
type Action string

// The actions.
const (
	Original Action = "original" // the first one of its file
	Verified Action = "verified" // equal to one before
	Failed   Action = "failed"   // other than one before
	Added    Action = "new"      // of a further format, when one before was verified
)

// A Hash is a hash of a file or folder.
type Hash struct {
	Format Format
	Value  string
	Action Action    // "" for a folder's
	Date   time.Time // zero for none
}

// A File is a file of a list, and its hashes.
type File struct {
	Path     string // from the folder, with slashes
	Size     int64
	Modified time.Time // zero for unknown
	Hashes   []Hash
}

// A Folder is a folder of a list: what is in all of its files, and how they are called and arranged.
type Folder struct {
	Path               string // "" for the one that the list is of
	Modified           time.Time
	Content, Structure []Hash
}

// A List is a generation: what was in a folder at one time.
type List struct {
	Created       time.Time
	Host          string
	Tool, Version string
	Author        string
	Process       string // "in-place", "transfer" or "flatten"
	Root          Folder
	Ignore        []string // patterns of what is no part of the folder
	Files         []File
	Folders       []Folder
}

// A Link is a list as the chain names it.
type Link struct {
	Number int
	Name   string
	C4     string
}

// Where the history of a folder is, and what is never a part of it.
const (
	Dir       = "ascmhl"
	ChainName = "ascmhl_chain.xml"
)

// usualIgnored are the patterns that every list has.
func usualIgnored() []string { return []string{".DS_Store", Dir, Dir + "/"} }

// NameOf returns how a generation of a folder is called.
func NameOf(number int, folder string, at time.Time) string {
	return fmt.Sprintf("%04d_%s_%sZ.mhl", number, folder, at.UTC().Format("2006-01-02_150405"))
}
