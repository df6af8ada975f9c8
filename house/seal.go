package house

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"reelhouse/core/mhl"
)

// SealFolder reads a folder and adds its next hash list, which is called what it returns. It returns what is wrong with
// the folder by its lists before, too. A list is there wholly or not at all.
func SealFolder(
	ctx context.Context, folder string, how mhl.Making, progress mhl.Progress,
) (name string, list mhl.List, wrong []mhl.Fault, err error) {
	folder, err = filepath.Abs(folder)
	if err != nil {
		return "", list, nil, err
	}
	root, err := os.OpenRoot(folder) // out of which no link leads
	if err != nil {
		return "", list, nil, err
	}
	defer root.Close()
	if err := undoSeal(root); err != nil {
		return "", list, nil, err
	}
	history, err := mhl.ReadHistory(root.FS())
	if err != nil && !errors.Is(err, mhl.ErrNoHistory) {
		return "", list, nil, err
	}
	number := len(history.Chain) + 1
	for _, fault := range history.Wrong {
		return "", list, nil, fmt.Errorf("%s %s; nothing was added", fault.Path, fault.Text)
	}
	if list, wrong, err = mhl.Seal(ctx, root.FS(), how, progress); err != nil {
		return "", list, nil, err
	}
	name = mhl.NameOf(number, filepath.Base(folder), how.Created)
	var text, chain bytes.Buffer
	if err := list.Encode(&text); err != nil {
		return "", list, nil, err
	}
	links := append(history.Chain, mhl.Link{Number: number, Name: name, C4: mhl.C4.Of(text.Bytes())})
	if err := mhl.EncodeChain(&chain, links); err != nil {
		return "", list, nil, err
	}
	if err := root.MkdirAll(mhl.Dir, 0o755); err != nil {
		return "", list, nil, err
	}
	// The chain waits beside its place while the list comes to its own: who finds one waiting knows that a seal ended.
	err = writeSafely(root, chainWaits, &chain)
	if err == nil {
		err = writeWhole(root, mhl.Dir+"/"+name, &text)
	}
	if err == nil {
		err = rename(root, chainWaits, mhl.Dir+"/"+mhl.ChainName)
	}
	if err != nil {
		return "", list, nil, errors.Join(err, undoSeal(root))
	}
	return name, list, wrong, nil
}

// chainWaits is where a chain waits for the list that it names last.
const chainWaits = mhl.Dir + "/" + mhl.ChainName + PartMark

// undoSeal removes what a seal has left that ended before the chain named its list. A list that no chain names is
// somebody's, and stays, if no chain waits for it.
func undoSeal(root *os.Root) error {
	if _, err := root.Lstat(chainWaits); errors.Is(err, fs.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	history, err := mhl.ReadHistory(root.FS())
	if err != nil && !errors.Is(err, mhl.ErrNoHistory) {
		return err
	}
	unnamed := fmt.Sprintf("%s/%04d_", mhl.Dir, len(history.Chain)+1)
	for _, fault := range history.Wrong {
		if strings.HasPrefix(fault.Path, unnamed) {
			if err := root.Remove(fault.Path); err != nil {
				return err
			}
		}
	}
	return root.Remove(chainWaits)
}

// writeWhole writes a file beside its place, brings it safely to the disk, and puts it there.
func writeWhole(root *os.Root, name string, from io.Reader) error {
	temp := name + PartMark
	err := writeSafely(root, temp, from)
	if err == nil {
		err = rename(root, temp, name)
	}
	if err != nil {
		_ = root.Remove(temp) // it may not be there
	}
	return err
}

// writeSafely writes a file and brings it safely to the disk; what it has begun goes if it cannot.
func writeSafely(root *os.Root, name string, from io.Reader) error {
	f, err := root.Create(name)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, from)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return errors.Join(err, root.Remove(name))
	}
	return nil
}

// rename puts a file at its place, safely.
func rename(root *os.Root, from, to string) error {
	if err := root.Rename(from, to); err != nil {
		return err
	}
	dir, err := root.Open(filepath.Dir(to))
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}
