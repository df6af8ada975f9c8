package outside

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"reelhouse/farm/wire"
)

// answer proves that folders are those of the house, as far as they are.
func (n *Node) answer(all []wire.Share) {
	for _, s := range all {
		folder, known := wire.Here(n.Shares, s.Folder+"/x") // the folder itself is within none
		if !known || filepath.Base(s.File) != s.File {
			continue
		}
		path := filepath.Join(filepath.Dir(folder), s.File)
		text, err := os.ReadFile(path)
		if err == nil {
			err = os.WriteFile(path+wire.AnswerEnding, []byte(wire.AnswerTo(string(text))), 0o644)
		}
		if err != nil {
			n.Log.Warn("a folder is not shared with the house: its files are fetched and sent", "folder", s.Folder,
				"here", filepath.Dir(folder), "error", err)
		}
	}
}

// showsWithin is how long a file of the house may take to be seen in a shared folder.
const showsWithin = 10 * time.Second

// shared returns where a file of a shared folder is here, once all of it is seen.
func (n *Node) shared(ctx context.Context, r wire.Read) (string, error) {
	path, known := wire.Here(n.Shares, r.Shared)
	if !known {
		return "", errors.New("it lies in no folder that this machine shares")
	}
	until := time.Now().Add(showsWithin)
	for {
		info, err := os.Stat(path)
		if err == nil && info.Size() == r.Bytes {
			return path, nil
		}
		if time.Now().After(until) || ctx.Err() != nil {
			return "", fmt.Errorf(
				"the shared folder does not show it as the house has it: %w",
				errors.Join(err, ctx.Err()),
			)
		}
		time.Sleep(100 * time.Millisecond)
	}
}
