package assets

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// An arrival is a file that has come in, beside the place where it is kept if it is a good one.
type arrival struct {
	*os.File
	name   string // as it was called where it came from
	bytes  int64
	sha256 string
}

// arrive receives a file of so many bytes at most. Whoever calls it calls end.
func (l *Library) arrive(folder, name string, r io.Reader, most int64) (*arrival, error) {
	a := &arrival{name: filepath.Base(name)}
	var err error
	if err = os.MkdirAll(l.path(folder), 0o755); err != nil {
		return nil, a.wrong(err)
	}
	if a.File, err = os.CreateTemp(l.path(folder), arriving+"*"); err != nil {
		return nil, a.wrong(err)
	}
	sum := sha256.New()
	a.bytes, err = io.Copy(io.MultiWriter(a, sum), io.LimitReader(r, most+1))
	switch {
	case err != nil:
		err = a.wrong(err)
	case a.bytes > most:
		err = fmt.Errorf("%s is larger than %d MB", a.name, most>>20)
	}
	if err != nil {
		a.end()
		return nil, err
	}
	a.sha256 = hex.EncodeToString(sum.Sum(nil))
	return a, nil
}

func (a *arrival) wrong(err error) error { return fmt.Errorf("%s: %w", a.name, err) }

// end lets go of the file, and removes it unless it was kept.
func (a *arrival) end() {
	a.Close()
	os.Remove(a.File.Name()) // fails once it was renamed, as it should
}

// judge has the file read: by somebody else, where it can do no harm, or here if there is nobody.
func (l *Library) judge(a *arrival, kind Admission) error {
	l.admitting.Lock()
	defer l.admitting.Unlock()
	if l.Admit == nil {
		return a.wrongIf(kind.Read(a.File.Name()))
	}
	return a.wrongIf(l.Admit(kind, a.File.Name()))
}

func (a *arrival) wrongIf(err error) error {
	if err != nil {
		return a.wrong(err)
	}
	return nil
}
