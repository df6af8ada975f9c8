package screening

import (
	"context"
	"errors"
	"fmt"
	"image"
	"net/http"
	"net/url"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/image/draw"

	"reelhouse/core/pass"
	"reelhouse/core/queue"
	"reelhouse/core/screening"
	"reelhouse/preview"
	"reelhouse/store"
)

// longestViewed is the longest edge of a viewing file, in pixels.
const longestViewed = 2048

// play answers with a pass of a frame as it is played: a viewing file, which is made first if it must.
func (a *page) play(c *echo.Context) error {
	s, _, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	through, err := a.askedShowing(c)
	if err != nil {
		return err
	}
	code := pass.Code(c.Param("pass"))
	v, err := a.viewingOf(c.Request().Context(), s, number, c.QueryParam("output"), code, through)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", through.maxAge())
	h.Set("X-Mapping", url.PathEscape(v.Words))
	return c.Blob(http.StatusOK, "image/jpeg", v.JPEG)
}

// viewedOf names the viewing file of a pass of a frame, false if the frame has no files.
func (a *page) viewedOf(
	s store.Sequence, number int, output string, code pass.Code, through showing,
) (preview.Viewed, bool, error) {
	if output == "" && len(s.Spec.Files) > 0 {
		output = s.Spec.Files[0].Output
	}
	files, err := a.House.Record.Files(s.ID, number)
	if err != nil || len(files) == 0 {
		return preview.Viewed{}, false, err
	}
	sums := ""
	for _, f := range files {
		sums += f.SHA256
	}
	return preview.Viewed{
		Sequence: s.ID, Frame: number, Output: output, Pass: string(code), Through: through.key, SHA256: sums,
	}, true, nil
}

// viewingOf returns the viewing file of a pass of a frame.
func (a *page) viewingOf(
	ctx context.Context, s store.Sequence, number int, output string, code pass.Code, through showing,
) (preview.Viewing, error) {
	if files := filesOf(s.Spec, output); len(files) > 0 {
		through = through.of(files[0].Encoding)
	}
	viewed, there, err := a.viewedOf(s, number, output, code, through)
	if err != nil {
		return preview.Viewing{}, err
	}
	if !there {
		return preview.Viewing{}, echo.NewHTTPError(
			http.StatusNotFound, fmt.Sprintf("Frame %d is not finished yet.", number),
		)
	}
	return a.viewing.Get(ctx, viewed, func(ctx context.Context) (*image.NRGBA, string, error) {
		img, err := a.load(ctx, s, number, output) // what is kept in memory is for who looks at one frame
		if err != nil {
			return nil, "", err
		}
		b, err := a.House.Record.BatchAlone(s.BatchID)
		if err != nil {
			return nil, "", err
		}
		view := through.view()
		if described, err := pass.Find(code); err == nil && described.Shown == pass.AsDistance {
			if view.DepthFar, err = a.depthFar(ctx, s, b, code, output); err != nil {
				return nil, "", err
			}
		}
		shown, err := screening.Look(img, code, view)
		if err != nil {
			return nil, "", echo.NewHTTPError(http.StatusNotFound, err.Error())
		}
		words := view.Mapping(code, b.Plan.DepthOf(s.Spec).Style) + "; a viewing file of 8 bits"
		return smaller(shown), words, nil
	})
}

// smaller returns a picture that is no larger than one that is played.
func smaller(img *image.NRGBA) *image.NRGBA {
	size := img.Rect.Size()
	longest := max(size.X, size.Y)
	if longest <= longestViewed {
		return img
	}
	out := image.NewNRGBA(image.Rect(0, 0, max(1, size.X*longestViewed/longest), max(1, size.Y*longestViewed/longest)))
	draw.ApproxBiLinear.Scale(out, out.Rect, img, img.Rect, draw.Src, nil)
	return out
}

// restBetween is how long is waited between looks at what has become good: frames that come together are one look.
// After a look that has cost much, as at a long sequence, it is restTimes as long.
const (
	restBetween = 2 * time.Second
	restTimes   = 20
)

// makeViewings makes viewing files of frames that become good, and of the sequence that somebody looks at, until ctx
// ends. What cannot be made is left: it is said when it is looked at.
func (a *page) makeViewings(ctx context.Context) {
	changed, end := a.Changes.Listen()
	defer end()
	known, err := a.House.Record.GoodBySequence()
	if err != nil {
		a.Log.Warn("viewing files are made when they are wanted", "error", err)
		return
	}
	looked := map[int64]map[int]int64{} // by sequences; see viewAll
	listening, rested := changed, (<-chan time.Time)(nil)
	for {
		select {
		case <-ctx.Done():
			return
		case id := <-a.ahead:
			a.viewAll(ctx, id, nil)
		case <-rested:
			listening, rested = changed, nil
		case <-listening:
			began := time.Now()
			now, err := a.House.Record.GoodBySequence()
			if err != nil {
				continue
			}
			made := time.Duration(0)
			for id, good := range now {
				if good <= known[id] {
					continue
				}
				if looked[id] == nil {
					looked[id] = map[int]int64{}
				}
				made += a.viewAll(ctx, id, looked[id])
			}
			known = now
			cost := time.Since(began) - made // of looking alone
			listening, rested = nil, time.After(max(restBetween, restTimes*cost))
		}
	}
}

// viewAll makes what is missing of the viewing files of a sequence: of its first pass with light. Frames that looked
// has, by the leases that made them good, are left alone, and it gets the others; nil is for all of them. It returns
// how long making took.
func (a *page) viewAll(ctx context.Context, id int64, looked map[int]int64) (made time.Duration) {
	s, err := a.House.Record.Sequence(id)
	if err != nil || len(s.Spec.Files) == 0 {
		return 0
	}
	code, lit := firstLight(s)
	if !lit {
		return 0
	}
	frames, err := a.House.Record.Frames(id)
	if err != nil {
		return 0
	}
	through := a.throughOf(s).of(filesOf(s.Spec, "")[0].Encoding)
	for _, f := range frames {
		if lease, known := looked[f.Number]; f.State != queue.Good || known && lease == f.Lease {
			continue
		}
		if looked != nil {
			looked[f.Number] = f.Lease
		}
		viewed, there, err := a.viewedOf(s, f.Number, "", code, through)
		if err != nil || !there || a.viewing.Has(viewed) {
			continue
		}
		began := time.Now()
		_, err = a.viewingOf(ctx, s, f.Number, viewed.Output, code, through)
		made += time.Since(began)
		if errors.Is(err, context.Canceled) {
			return made
		}
	}
	return made
}

// throughOf returns the viewing transform of a sequence's production as it is now, or sRGB if that cannot be used.
func (a *page) throughOf(s store.Sequence) showing {
	b, err := a.House.Record.BatchAlone(s.BatchID)
	if err != nil {
		return showing{}
	}
	p, err := a.House.Record.Production(b.Plan.Production)
	if err != nil {
		return showing{}
	}
	t, err := a.showingOf(p.Production, p.Picture.Viewing)
	if err != nil {
		a.Log.Warn("shown through sRGB", "production", p.Code, "error", err)
		return showing{}
	}
	return t
}

// firstLight returns the first pass with light of a sequence's first output, false if it has none.
func firstLight(s store.Sequence) (pass.Code, bool) {
	for _, f := range filesOf(s.Spec, "") {
		for _, code := range f.Passes {
			if p, err := pass.Find(code); err == nil && !p.Data {
				return code, true
			}
		}
	}
	return "", false
}
