package main

import (
	"errors"
	"os"

	"reelhouse/core/framefile"
)

// writeSynced writes a file and brings it safely to the disk; a file that could not be finished is removed.
func writeSynced(path string, data []byte) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		os.Remove(path)
	}
	return err
}

// A syncedFile is one that is written bit by bit, and removed if it could not be finished.
type syncedFile struct{ *os.File }

func createSynced(path string) (framefile.File, error) {
	f, err := os.Create(path)
	if err != nil {
		return nil, err
	}
	return syncedFile{f}, nil
}

func (f syncedFile) Commit() (int64, error) {
	info, err := f.Stat()
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		os.Remove(f.Name())
		return 0, err
	}
	return info.Size(), nil
}

func (f syncedFile) Abandon() {
	f.Close()
	os.Remove(f.Name())
}
