package house

// Lock lets nobody else have a file locked until what it returns is called. It fails at once if somebody has.
func Lock(path string) (unlock func() error, err error) { return lock(path) }

// FreeBytes returns how much room the disk of a folder has, in bytes, or -1 if that is not known.
func FreeBytes(folder string) float64 { return freeBytes(folder) }
