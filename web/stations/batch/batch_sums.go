package batch

import (
	"cmp"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/production"
)

// A sum is what one output or one pass of the batch amounts to.
type sum struct {
	Name  string
	Files int
	Bytes float64
}

// sums are what the batch comes to.
type sums struct {
	Outputs, Passes []*sum
	Qualities       []qualitySum
}

// qualitySum is what the batch would be in one of the qualities.
type qualitySum struct {
	production.Quality
	plan.Totals
	Chosen bool
}

// batchSums answers with what the batch comes to by output and pass, and in each quality.
func (a *page) batchSums(c *echo.Context) error {
	v, err := a.batchView(c)
	if err != nil || len(v.Draft.Problems) > 0 {
		return err
	}
	outputs, passes := map[string]*sum{}, map[pass.Code]*sum{}
	for _, s := range v.Draft.Batch.Sequences {
		n := s.Frames.Count()
		corrected := 1.0
		if modelled := s.Modelled(); modelled > 0 {
			corrected = s.FrameBytes / modelled
		}
		for _, f := range s.Files {
			o := outputs[f.Output]
			if o == nil {
				o = &sum{Name: f.Output}
				outputs[f.Output] = o
			}
			o.Files += n
			o.Bytes += float64(n) * f.Encoding.Bytes(f.Passes, f.Size) * corrected
			for _, code := range f.Passes {
				q := passes[code]
				if q == nil {
					q = &sum{Name: string(code)}
					passes[code] = q
				}
				q.Files += n
				q.Bytes += float64(n) * f.Encoding.Bytes([]pass.Code{code}, f.Size) * corrected
			}
		}
	}
	var qualities []qualitySum
	for _, q := range v.Production.Qualities {
		p := v.Production.Production
		p.Quality = q.Code
		b, err := plan.Build(p, v.Draft.Measure)
		if err != nil {
			return err
		}
		t := b.Totals()
		places := float64(a.Node.SlotCount())
		t.Seconds, t.Least, t.Most = t.Seconds/places, t.Least/places, t.Most/places
		qualities = append(qualities, qualitySum{q, t, q.Code == v.Production.Quality})
	}
	return c.Render(http.StatusOK, "batch/batch-sums",
		sums{sorted(outputs), sorted(passes), qualities})
}

// sorted returns sums with the largest first.
func sorted[K comparable](sums map[K]*sum) []*sum {
	var all []*sum
	for _, s := range sums {
		all = append(all, s)
	}
	slices.SortFunc(all, func(a, b *sum) int {
		return cmp.Or(cmp.Compare(b.Bytes, a.Bytes), cmp.Compare(a.Name, b.Name))
	})
	return all
}
