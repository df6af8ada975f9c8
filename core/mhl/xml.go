package mhl

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"time"
)

// Bounds of lists that are read.
const (
	MostListBytes = 1 << 30
	mostLinks     = 10_000
	mostPath      = 4096 // bytes
)

const (
	listSpace  = "urn:ASC:MHL:v2.0"
	chainSpace = "urn:ASC:MHL:DIRECTORY:v2.0"
	listMajor  = "2."
)

// The elements of a list, as they stand in it.
type (
	xmlList struct {
		XMLName xml.Name   `xml:"urn:ASC:MHL:v2.0 hashlist"`
		Version string     `xml:"version,attr"`
		Creator xmlCreator `xml:"creatorinfo"`
		Process xmlProcess `xml:"processinfo"`
		Hashes  xmlHashes  `xml:"hashes"`
	}
	xmlCreator struct {
		Date   string     `xml:"creationdate"`
		Host   string     `xml:"hostname"`
		Tool   xmlTool    `xml:"tool"`
		Author *xmlAuthor `xml:"author,omitempty"`
	}
	xmlTool struct {
		Version string `xml:"version,attr"`
		Name    string `xml:",chardata"`
	}
	xmlAuthor struct {
		Name string `xml:"name,omitempty"`
	}
	xmlProcess struct {
		Process string    `xml:"process"`
		Root    *xmlSums  `xml:"roothash"`
		Ignore  xmlIgnore `xml:"ignore"`
	}
	xmlIgnore struct {
		Patterns []string `xml:"pattern"`
	}
	xmlHashes struct {
		Files   []xmlFile   `xml:"hash"`
		Folders []xmlFolder `xml:"directoryhash"`
	}
	xmlPath struct {
		Size     *int64 `xml:"size,attr"`
		Modified string `xml:"lastmodificationdate,attr,omitempty"`
		Path     string `xml:",chardata"`
	}
	xmlFile struct {
		Path xmlPath `xml:"path"`
		xmlKinds
	}
	xmlFolder struct {
		Path xmlPath `xml:"path"`
		xmlSums
	}
	xmlSums struct {
		Content   xmlKinds `xml:"content"`
		Structure xmlKinds `xml:"structure"`
	}
	xmlKinds struct {
		C4     *xmlHash `xml:"c4"`
		MD5    *xmlHash `xml:"md5"`
		SHA1   *xmlHash `xml:"sha1"`
		XXH128 *xmlHash `xml:"xxh128"`
		XXH3   *xmlHash `xml:"xxh3"`
		XXH64  *xmlHash `xml:"xxh64"`
	}
	xmlHash struct {
		Action string `xml:"action,attr,omitempty"`
		Date   string `xml:"hashdate,attr,omitempty"`
		Value  string `xml:",chardata"`
	}
	xmlChain struct {
		XMLName xml.Name  `xml:"urn:ASC:MHL:DIRECTORY:v2.0 ascmhldirectory"`
		Links   []xmlLink `xml:"hashlist"`
	}
	xmlLink struct {
		Number int    `xml:"sequencenr,attr"`
		Name   string `xml:"path"`
		C4     string `xml:"c4"`
	}
)

func (k *xmlKinds) of(f Format) **xmlHash {
	return map[Format]**xmlHash{
		C4: &k.C4, MD5: &k.MD5, SHA1: &k.SHA1, XXH128: &k.XXH128, XXH3: &k.XXH3, XXH64: &k.XXH64,
	}[f]
}

func kindsOf(all []Hash) (k xmlKinds) {
	for _, h := range all {
		*k.of(h.Format) = &xmlHash{Action: string(h.Action), Date: dateOf(h.Date), Value: h.Value}
	}
	return k
}

// hashes reads hashes of the formats that are known; others are left out.
func (k *xmlKinds) hashes() ([]Hash, error) {
	var all []Hash
	for _, f := range Formats() {
		h := *k.of(f)
		if h == nil {
			continue
		}
		value := strings.TrimSpace(h.Value)
		if _, err := f.bytes(value); err != nil {
			return nil, err
		}
		all = append(all, Hash{f, value, Action(h.Action), readDate(h.Date)})
	}
	return all, nil
}

// timeForm is how times are written.
const timeForm = "2006-01-02T15:04:05-07:00"

func dateOf(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format(timeForm)
}

// readDate reads a time; what is none is the zero time.
func readDate(text string) time.Time {
	t, _ := time.Parse(time.RFC3339Nano, strings.TrimSpace(text))
	return t
}

// Encode writes a list.
func (l List) Encode(w io.Writer) error {
	out := xmlList{
		Version: "2.0",
		Creator: xmlCreator{Date: dateOf(l.Created), Host: l.Host, Tool: xmlTool{l.Version, l.Tool}},
		Process: xmlProcess{
			Process: l.Process, Root: &xmlSums{kindsOf(l.Root.Content), kindsOf(l.Root.Structure)},
			Ignore: xmlIgnore{l.Ignore},
		},
	}
	if l.Author != "" {
		out.Creator.Author = &xmlAuthor{l.Author}
	}
	for _, f := range l.Files {
		size := f.Size
		out.Hashes.Files = append(
			out.Hashes.Files, xmlFile{xmlPath{&size, dateOf(f.Modified), f.Path}, kindsOf(f.Hashes)},
		)
	}
	for _, f := range l.Folders {
		out.Hashes.Folders = append(out.Hashes.Folders, xmlFolder{
			xmlPath{nil, dateOf(f.Modified), f.Path}, xmlSums{kindsOf(f.Content), kindsOf(f.Structure)},
		})
	}
	return encode(w, out)
}

func encode(w io.Writer, v any) error {
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(v); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

// decode reads one element, and nothing after it.
func decode(r io.Reader, v any) error {
	d := xml.NewDecoder(r)
	if err := d.Decode(v); err != nil {
		return err
	}
	for {
		switch token, err := d.Token(); token := token.(type) {
		case xml.CharData:
			if len(bytes.TrimSpace(token)) > 0 {
				return errors.New("something follows its end")
			}
		case xml.Comment:
		case nil:
			if err == io.EOF {
				return nil
			}
			return err
		default:
			return errors.New("something follows its end")
		}
	}
}

// Decode reads a list.
func Decode(r io.Reader) (l List, err error) {
	var in xmlList
	if err := decode(r, &in); err != nil {
		return l, fmt.Errorf("it is no hash list of version 2: %w", err)
	}
	if !strings.HasPrefix(in.Version, listMajor) {
		return l, fmt.Errorf("it is a hash list of version %q; 2 is read", in.Version)
	}
	l = List{
		Created: readDate(in.Creator.Date), Host: in.Creator.Host, Tool: strings.TrimSpace(in.Creator.Tool.Name),
		Version: in.Creator.Tool.Version, Process: in.Process.Process, Ignore: in.Process.Ignore.Patterns,
	}
	if in.Creator.Author != nil {
		l.Author = in.Creator.Author.Name
	}
	if in.Process.Root != nil {
		if l.Root, err = in.Process.Root.folder(""); err != nil {
			return l, fmt.Errorf("its root: %w", err)
		}
	}
	for _, f := range in.Hashes.Files {
		file := File{Path: f.Path.Path, Size: -1, Modified: readDate(f.Path.Modified)}
		if f.Path.Size != nil {
			file.Size = *f.Path.Size
		}
		if err := checkPath(file.Path); err != nil {
			return l, err
		}
		if file.Hashes, err = f.hashes(); err != nil {
			return l, fmt.Errorf("%s: %w", file.Path, err)
		}
		l.Files = append(l.Files, file)
	}
	for _, f := range in.Hashes.Folders {
		if err := checkPath(f.Path.Path); err != nil {
			return l, err
		}
		folder, err := f.folder(f.Path.Path)
		if err != nil {
			return l, fmt.Errorf("%s: %w", f.Path.Path, err)
		}
		folder.Modified = readDate(f.Path.Modified)
		l.Folders = append(l.Folders, folder)
	}
	return l, nil
}

func (s *xmlSums) folder(path string) (f Folder, err error) {
	f.Path = path
	if f.Content, err = s.Content.hashes(); err != nil {
		return f, err
	}
	f.Structure, err = s.Structure.hashes()
	return f, err
}

// checkPath refuses paths that lead out of the folder.
func checkPath(p string) error {
	if p == "." || len(p) > mostPath || !fs.ValidPath(p) || strings.ContainsAny(p, "\\\x00") {
		return fmt.Errorf("%q is no path within the folder", p)
	}
	return nil
}

// EncodeChain writes a chain.
func EncodeChain(w io.Writer, chain []Link) error {
	var out xmlChain
	for _, l := range chain {
		out.Links = append(out.Links, xmlLink(l))
	}
	return encode(w, out)
}

// DecodeChain reads a chain, in the order of its numbers, which are those from 1 on.
func DecodeChain(r io.Reader) ([]Link, error) {
	var in xmlChain
	if err := decode(r, &in); err != nil {
		return nil, fmt.Errorf("it is no chain of hash lists: %w", err)
	}
	if len(in.Links) == 0 || len(in.Links) > mostLinks {
		return nil, fmt.Errorf("it has %d hash lists; 1 to %d are possible", len(in.Links), mostLinks)
	}
	var chain []Link
	for _, l := range in.Links {
		l.C4 = strings.TrimSpace(l.C4)
		if err := checkPath(l.Name); err != nil || path.Base(l.Name) != l.Name {
			return nil, fmt.Errorf("%q is no name of a hash list", l.Name)
		}
		if _, err := fromC4(l.C4); err != nil {
			return nil, fmt.Errorf("%s: %w", l.Name, err)
		}
		chain = append(chain, Link(l))
	}
	slices.SortFunc(chain, func(a, b Link) int { return a.Number - b.Number })
	for i, l := range chain {
		if l.Number != i+1 {
			return nil, fmt.Errorf("hash list %d is missing in it", i+1)
		}
	}
	return chain, nil
}
