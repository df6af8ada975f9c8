package naming

import "strings"

// Files may lie on volumes, which are folders on any disk and have codes. A path on one begins with its code and a
// colon, as in "archive:/KIOSK/010.1001.exr", and one without lies in the data folder. No name pattern gives a colon,
// so that no path can be taken for another.

// volumeMark ends the code of a volume in a path.
const volumeMark = ":"

// OnVolume returns a path on a volume; "" is that of the data folder.
func OnVolume(volume, path string) string {
	if volume == "" {
		return path
	}
	return volume + volumeMark + "/" + path
}

// SplitVolume takes a path apart: the code of its volume, and the path on that. The root of a volume is "".
func SplitVolume(path string) (volume, rest string) {
	first, rest, _ := strings.Cut(path, "/")
	if volume, ok := strings.CutSuffix(first, volumeMark); ok {
		return volume, rest
	}
	return "", path
}

// On returns the path on a volume; "" is that of the data folder.
func (p Path) On(volume string) Path {
	if volume != "" {
		p.pieces = append([]string{OnVolume(volume, p.pieces[0])}, p.pieces[1:]...)
	}
	return p
}
