package house

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
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
	history, err := mhl.ReadHistory(root.FS())
	if err != nil && !errors.Is(err, mhl.ErrNoHistory) {
		return "", list, nil, err
	}
	number := len(history.Chain) + 1
	for _, fault := range history.Wrong {
		// One that a seal before has not come to name in the chain is done again.
		if unnamed := fmt.Sprintf("%s/%04d_", mhl.Dir, number); strings.HasPrefix(fault.Path, unnamed) {
			if err := root.Remove(fault.Path); err != nil {
				return "", list, nil, err
			}
			continue
		}
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
	if err := writeWhole(root, mhl.Dir+"/"+name, &text); err != nil {
		return "", list, nil, err
	}
	return name, list, wrong, writeWhole(root, mhl.Dir+"/"+mhl.ChainName, &chain)
}

// writeWhole writes a file beside its place, brings it safely to the disk, and puts it there.
func writeWhole(root *os.Root, name string, from io.Reader) error {
	temp := name + PartMark
	f, err := root.Create(temp)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, from)
	if err = errors.Join(err, f.Sync(), f.Close()); err == nil {
		err = root.Rename(temp, name)
	}
	if err != nil {
		return errors.Join(err, root.Remove(temp))
	}
	dir, err := root.Open(filepath.Dir(name))
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}
