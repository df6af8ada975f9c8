package naming

import (
	"strconv"
	"strings"
)

// A Path is a pattern filled with everything but the frame number: the path of a whole file sequence.
// Its text form is a pattern in which only (frame) and (label) fields are left.
type Path struct {
	pieces []string       // literal text; a frame number or name stands between each two of them
	digits []int          // padding of the number after each piece but the last; asName for the frame's name
	labels map[int]string // names of frames
}

// asName stands for the name of a frame, which is its number where it has none.
const asName = -1

// Labelled returns the path with names for frames, which go where (label) stands.
func (p Path) Labelled(names map[int]string) Path {
	p.labels = names
	return p
}

// Bind fills the pattern. It is done once for a sequence; Frame is then cheap.
func (p Pattern) Bind(f Fields, r Rules) Path {
	path := Path{pieces: []string{""}}
	for _, q := range p.parts {
		last := len(path.pieces) - 1
		switch q.field {
		case "":
			path.pieces[last] += q.text
		case "version":
			path.pieces[last] += pad(f.Version, q.digits)
		case "angle":
			path.pieces[last] += pad(f.Angle, q.digits)
		case "frame":
			path.digits = append(path.digits, q.digits)
			path.pieces = append(path.pieces, "")
		case "label":
			path.digits = append(path.digits, asName)
			path.pieces = append(path.pieces, "")
		default:
			path.pieces[last] += r.Clean(f.Value(q.field))
		}
	}
	path.pieces[0] = withoutDevices(path.pieces[0], len(path.pieces) > 1)
	return path
}

// Single returns the path of one file that is not one of a sequence: folders and a name, each as rules write them, and
// an extension.
func (r Rules) Single(extension string, segments ...string) Path {
	cleaned := make([]string, len(segments))
	for i, s := range segments {
		cleaned[i] = r.Clean(s)
	}
	return Path{pieces: []string{withoutDevices(strings.Join(cleaned, "/")+"."+r.Clean(extension), false)}}
}

// withoutDevices puts an underscore before folder and file names that some systems keep for devices.
// The last segment is left when more of its name follows.
func withoutDevices(text string, more bool) string {
	segments := strings.Split(text, "/")
	for i, s := range segments {
		if more && i == len(segments)-1 && !strings.Contains(s, ".") {
			continue
		}
		if base, _, _ := strings.Cut(strings.ToUpper(s), "."); isDevice(base) {
			segments[i] = "_" + s
		}
	}
	return strings.Join(segments, "/")
}

func isDevice(base string) bool {
	switch base {
	case "CON", "PRN", "AUX", "NUL":
		return true
	}
	return len(base) == 4 && (strings.HasPrefix(base, "COM") || strings.HasPrefix(base, "LPT")) && base[3] >= '0' &&
		base[3] <= '9'
}

// Frame returns the path of one frame, with slashes, relative to the output folder, or with its volume before it.
func (p Path) Frame(n int) string {
	return string(p.AppendFrame(make([]byte, 0, 96), n))
}

// AppendFrame appends the path of one frame to dst.
func (p Path) AppendFrame(dst []byte, n int) []byte {
	for i, piece := range p.pieces {
		dst = append(dst, piece...)
		if i == len(p.digits) {
			break
		}
		if name, named := p.labels[n]; named && p.digits[i] == asName {
			dst = append(dst, name...)
		} else {
			dst = appendPadded(dst, n, p.digits[i])
		}
	}
	return dst
}

func pad(n, digits int) string { return string(appendPadded(nil, n, digits)) }

func appendPadded(dst []byte, n, digits int) []byte {
	if n < 0 {
		dst, n = append(dst, '-'), -n
	}
	for limit, width := 10, 1; width < digits; limit, width = limit*10, width+1 {
		if n < limit {
			dst = append(dst, '0')
		}
	}
	return strconv.AppendInt(dst, int64(n), 10)
}

// String returns the path with (frame:4) where the numbers go.
func (p Path) String() string {
	var b strings.Builder
	for i, piece := range p.pieces {
		b.WriteString(piece)
		switch {
		case i == len(p.digits):
		case p.digits[i] == asName:
			b.WriteString("(label)")
		default:
			b.WriteString("(frame:" + strconv.Itoa(p.digits[i]) + ")")
		}
	}
	return b.String()
}

// Key returns what is the same for two paths that some file system takes for one: letters in one case.
func (p Path) Key() string { return strings.ToLower(p.String()) }

// MarshalText writes the text form.
func (p Path) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads the text form.
func (p *Path) UnmarshalText(text []byte) error {
	parts, err := split(string(text), FieldNames())
	if err != nil {
		return err
	}
	path := Path{pieces: []string{""}}
	for _, q := range parts {
		switch q.field {
		case "":
			path.pieces[len(path.pieces)-1] += q.text
		case "frame":
			path.digits = append(path.digits, q.digits)
			path.pieces = append(path.pieces, "")
		case "label":
			path.digits = append(path.digits, asName)
			path.pieces = append(path.pieces, "")
		default:
			return &SyntaxError{string(text), q.offset, "a path has no fields but (frame) and (label)"}
		}
	}
	*p = path
	return nil
}
