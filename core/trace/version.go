package trace

// Version counts what this renderer makes of the same order: it is another one whenever a pixel, or a byte of a file,
// comes out otherwise. Fingerprints hold it. A test keeps the files of a few orders by it, so that nothing changes
// without it.
const Version = 2
