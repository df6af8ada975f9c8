package cut

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/preview"
	"reelhouse/web/kit"
)

// A quickMovie is the movie of the cut of quick pictures, as it stands.
type quickMovie struct {
	preview.QuickState
	Code       string // of the production
	There      bool   // it was made of the cut as it is
	Missing    string // what keeps movies from being made, "" for nothing
	Make, Stop kit.Action
}

// movieOf returns how the movie of a production's cut stands.
func (a *page) movieOf(p production.Production) quickMovie {
	m := quickMovie{QuickState: a.movies.State(p.Code), Code: p.Code}
	_, m.There = a.movies.Path(p)
	if err := a.House.Assets.Movies.Missing(); err != nil {
		m.Missing = err.Error()
	}
	post := &kit.View{}
	post.Production.Code = p.Code
	m.Make = post.Post("make-movie", "Quick movie", "H.264 of the cut with its sound, from quick pictures, before "+
		"anything is rendered", "cut/movie")
	m.Stop = post.Post("stop-movie", "Stop", "Ends making the movie", "cut/movie/stop")
	return m
}

// events are what changes by itself.
func (a *page) events(w kit.Watched, add func(event, template string, data any) error) error {
	return add("quick-movie", "cut/quick-movie", a.movieOf(w.Production.Production))
}

// wantMovie lets a movie be made of quick pictures.
func (a *page) wantMovie(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	if err := house.CheckQuickMovie(p.Production); err != nil {
		return a.Update(c, kit.Answer{Production: p, Station: key, Mistake: kit.Mistake{
			Where: "cut", Field: "movie", Message: kit.Capital(err.Error()) + ".",
		}})
	}
	a.movies.Want(p.Code)
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key})
}

// stopMovie ends making it.
func (a *page) stopMovie(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	a.movies.Stop(p.Code)
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key})
}

// movie answers with the movie of the cut as it is.
func (a *page) movie(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	path, there := a.movies.Path(p.Production)
	if !there {
		return echo.NewHTTPError(http.StatusNotFound, "There is no movie of the cut as it is now; make it first.")
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", p.Code+"_cut_quick.mp4"))
	http.ServeFile(c.Response(), c.Request(), path)
	return nil
}
