package delivery

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/naming"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// downloadFile answers with a finished file of a frame, by its path: one that is recorded, and nothing else.
func (a *page) downloadFile(c *echo.Context) error {
	sequence, number, err := kit.FrameOf(c)
	if err != nil {
		return err
	}
	if _, _, err := a.SequenceOf(c, sequence); err != nil {
		return err
	}
	files, err := a.House.Record.Files(sequence, number)
	if err != nil {
		return err
	}
	wanted := c.QueryParam("path")
	i := slices.IndexFunc(files, func(f store.File) bool { return f.Path == wanted })
	if i < 0 || files[i].Fault != "" {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such finished file of this frame.")
	}
	f, info, err := a.House.OpenOutput(files[i].Path)
	if errors.Is(err, fs.ErrNotExist) {
		return echo.NewHTTPError(http.StatusNotFound, "The file is not there any more; verify the files of its batch.")
	} else if err != nil {
		return err
	}
	defer f.Close()
	h := c.Response().Header()
	h.Set("Content-Disposition", attachment(path.Base(files[i].Path)))
	h.Set("Content-Type", "application/octet-stream")
	h.Set("ETag", fmt.Sprintf("%q", files[i].SHA256))
	http.ServeContent(c.Response(), c.Request(), "", info.ModTime(), f)
	return nil
}

// attachment names a file that is kept, and not looked at.
func attachment(name string) string { return "attachment; filename*=UTF-8''" + url.PathEscape(name) }

// downloadSequence answers with all good files of a sequence as one zip, of which a browser may ask for a part.
func (a *page) downloadSequence(c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("sequence"), 10, 64)
	if err != nil {
		return store.ErrNotFound
	}
	s, b, err := a.SequenceOf(c, id)
	if err != nil {
		return err
	}
	frames, err := a.House.Record.SequenceFiles(id)
	if err != nil {
		return err
	}
	p := &house.Package{Form: production.InZip, Modified: b.Sent.UTC()}
	var sums strings.Builder
	for _, f := range frames {
		if f.State != queue.Good {
			continue
		}
		for _, file := range f.Files {
			_, name := naming.SplitVolume(file.Path)
			p.Entries = append(p.Entries, house.Entry{
				Name: name, Bytes: file.Bytes, Open: func() (io.ReadCloser, error) {
					opened, _, err := a.House.OpenOutput(file.Path)
					return opened, err
				},
			})
			sums.WriteString(file.SHA256)
		}
	}
	if len(p.Entries) == 0 {
		return echo.NewHTTPError(http.StatusNotFound, "Nothing of this sequence is good yet.")
	}
	others, err := house.ForOthers(b.Plan, s.Spec, house.NamedFiles(s.Spec))
	if err != nil {
		return err
	}
	for _, o := range others {
		p.Entries = append(p.Entries, house.Entry{
			Name: o.Name, Bytes: int64(len(o.Data)), Open: func() (io.ReadCloser, error) {
				return io.NopCloser(bytes.NewReader(o.Data)), nil
			},
		})
	}
	content, err := p.Reader(c.Request().Context())
	if err != nil {
		return err
	}
	defer content.Close()
	sum, err := house.SumOf(strings.NewReader(sums.String()))
	if err != nil {
		return err
	}
	name := strings.ReplaceAll(s.Spec.Title(), " ", "_") + fmt.Sprintf("_v%03d.zip", b.Plan.VersionOf(s.Spec))
	h := c.Response().Header()
	h.Set("Content-Disposition", attachment(name))
	h.Set("Content-Type", "application/zip")
	h.Set("ETag", fmt.Sprintf("%q", sum.SHA256))
	http.ServeContent(c.Response(), c.Request(), "", b.Sent, content)
	return nil
}
