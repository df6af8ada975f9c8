package screening

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
)

// longestShown is the longest edge, in pixels, of a picture that is sent to a screen. Of a larger one so many pixels
// become one that it fits, so that nobody has to hold it as a whole.
const longestShown = 4096

// shrunk returns how many pixels of an edge become one on the screen.
func shrunk(s raster.Size) int { return 1 + (max(s.Width, s.Height)-1)/longestShown }

// shownSize returns the size of a picture on the screen.
func shownSize(s raster.Size) raster.Size {
	k := shrunk(s)
	return raster.Size{Width: max(1, s.Width/k), Height: max(1, s.Height/k)}
}

// opened opens a finished file by its path below the output folder, and lets work read it.
func (a *page) opened(path string, work func(f *picture.File) error) error {
	file, info, err := a.House.OpenOutput(path)
	if err != nil {
		return err
	}
	defer file.Close()
	open := func(context.Context) (*picture.File, error) { return picture.OpenLarge(file, info.Size(), mostRead) }
	var f *picture.File
	if output.Format(
		strings.TrimPrefix(strings.ToLower(filepath.Ext(path)), "."),
	) == output.EXR { // of which only lines are read
		f, err = open(context.Background())
	} else {
		f, err = a.decoded.Get(
			context.Background(), fmt.Sprint(path, info.ModTime().UnixNano(), info.Size()), open,
		)
	}
	if err != nil {
		return err
	}
	return work(f)
}

// Limits of the files of other formats than OpenEXR that are kept decoded, since each is decoded as a whole.
const (
	decodedFiles = 8
	decodedBytes = 400 << 20
)

// decodedSize is how many bytes a decoded file takes.
func decodedSize(f *picture.File) int64 {
	n := int64(0)
	for _, h := range f.Headers {
		n += h.Bytes()
	}
	return n
}

// mostRead is how many bytes the samples of a finished file may take. It was judged to be what was promised.
const mostRead = 64 << 30

// shown reads a file as it is shown: all of its pixels, or means of some; where a mean makes no sense, one of them.
func shown(
	ctx context.Context,
	f *picture.File,
	files plan.FileSequence,
	depth pass.DepthStyle,
) (*pixel.Image, error) {
	k := shrunk(files.Size)
	if k == 1 {
		p, err := f.Part(0)
		return picture.Named(p.Image, files.Passes), err
	}
	size := shownSize(raster.Size{Width: f.Headers[0].Width(), Height: f.Headers[0].Height()})
	return screening.Reduced(ctx, f, files.Passes, depth, screening.Reduction{By: k, To: size.Height})
}
