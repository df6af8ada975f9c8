package farm

import (
	"errors"
	"io/fs"
	"os"

	"golang.org/x/sys/unix"
)

// moveWithoutReplacing moves a file to a name that nothing has, if the system and the disk can do that (renameat2).
func moveWithoutReplacing(temp, final string) (done bool, err error) {
	err = unix.Renameat2(unix.AT_FDCWD, temp, unix.AT_FDCWD, final, unix.RENAME_NOREPLACE)
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.ENOTSUP) {
		return false, nil
	}
	if errors.Is(err, fs.ErrExist) {
		return true, &os.LinkError{Op: "rename", Old: temp, New: final, Err: fs.ErrExist}
	}
	return true, err
}
