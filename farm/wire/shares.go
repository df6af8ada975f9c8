package wire

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"path/filepath"
	"strings"
)

// A Share is a folder of the house that the node says it has, too. The house has written a file there; the node proves
// that it is the same folder by writing the answer to what it reads beside it.
type Share struct {
	Folder string `json:"folder"` // as the house calls it
	File   string `json:"file"`
}

// AnswerEnding is behind the name of a file that is tried, in that of its answer.
const AnswerEnding = ".answer"

// AnswerTo returns what is answered to the text of a file that is tried.
func AnswerTo(text string) string {
	sum := sha256.Sum256([]byte("reelhouse share " + text))
	return hex.EncodeToString(sum[:])
}

// A Mapping says where a machine has a folder of the house.
type Mapping struct{ House, Here string }

// ParseMapping reads HOUSE=HERE.
func ParseMapping(text string) (m Mapping, err error) {
	var is bool
	m.House, m.Here, is = strings.Cut(text, "=")
	if !is || m.House == "" || m.Here == "" {
		return m, fmt.Errorf("%q is no pair of folders: it is FOLDER OF THE HOUSE=FOLDER HERE", text)
	}
	if m.Here, err = filepath.Abs(m.Here); err != nil {
		return m, err
	}
	return m, nil
}

// Here returns where a path of the house is on this machine, by the mapping of the longest folder that holds it; false
// if none does. Houses of other systems have other separators.
func Here(all []Mapping, path string) (string, bool) {
	best, here := -1, ""
	for _, m := range all {
		rest, within := strings.CutPrefix(plain(path), strings.TrimSuffix(plain(m.House), "/")+"/")
		if !within || len(m.House) <= best || !filepath.IsLocal(filepath.FromSlash(rest)) {
			continue
		}
		best, here = len(m.House), filepath.Join(m.Here, filepath.FromSlash(rest))
	}
	return here, best >= 0
}

// plain is a path with slashes: one that begins with a drive or two backslashes is of a system that has others.
func plain(path string) string {
	if strings.HasPrefix(path, `\\`) || len(path) > 2 && path[1] == ':' && path[2] == '\\' {
		return strings.ReplaceAll(path, `\`, "/")
	}
	return path
}
