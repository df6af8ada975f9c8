package delivery

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/delivery"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A sentDelivery is what was handed on, or is just being handed on.
type sentDelivery struct {
	store.Delivery
	Running  bool
	Progress house.DeliveryProgress
	Where    string          // path of its folder, or of its package
	Package  string          // address of all of it as one file, "" while it is not complete
	Ending   production.Form // of Package
	Show     []string        // files that are shown by themselves, such as the manifest
	Stop     kit.Action
	Resume   kit.Action
}

// State says how it stands, in a word.
func (s sentDelivery) State() string {
	switch {
	case s.Complete:
		return "complete"
	case s.Running:
		return "under way"
	case s.Wanted:
		return "waits"
	}
	return "stopped"
}

// A sentList is what was handed on of a production, the newest first.
type sentList struct {
	Code string
	All  []sentDelivery
	More int // that are not shown
}

// mostSent is how many deliveries are shown.
const mostSent = 100

// sentOf returns what was handed on of a production.
func (a *page) sentOf(code string) (sentList, error) {
	all, err := a.House.Record.Deliveries(code)
	list := sentList{Code: code}
	if over := len(all) - mostSent; err == nil && over > 0 {
		all, list.More = all[:mostSent], over
	}
	post := &kit.View{}
	post.Production.Code = code
	for _, d := range all {
		s := sentDelivery{Delivery: d, Where: d.Folder}
		s.Progress, s.Running = a.deliverer.Progress(d.ID)
		id := strconv.FormatInt(d.ID, 10)
		s.Stop = post.Post("stop-"+id, "Stop", "What is there stays, and is not copied again", "delivered/"+id+"/stop")
		s.Resume = post.Post("resume-"+id, "Resume", "Go on where it stopped", "delivered/"+id+"/resume")
		if d.Form != production.InFolder {
			s.Where = filepath.Join(d.Folder, house.PackageName(d, d.Form))
		}
		if rel, err := filepath.Rel(a.House.Dir, s.Where); err == nil && filepath.IsLocal(rel) {
			s.Where = filepath.ToSlash(rel)
		}
		if d.Complete {
			s.Package, s.Ending = post.Path("delivered/"+id+"/package"), cmp.Or(d.Form, production.InZip)
			s.Show = fewShown(shownFiles(d))
		}
		list.All = append(list.All, s)
	}
	return list, err
}

// shownFiles are the files of a delivery that are looked at by themselves: what was made for it, and what proves it.
func shownFiles(d store.Delivery) []string {
	if d.Form != production.InFolder {
		return nil
	}
	return append(slices.Clone(d.Products), "manifest.html", "manifest.csv", "manifest.json")
}

// fewShown are those of them that are listed: what people look at, without the single pictures of sprites, and not too
// many.
func fewShown(all []string) []string {
	const most = 10
	few := slices.DeleteFunc(slices.Clone(all), func(name string) bool {
		beside := strings.Contains(name, "/") && slices.Contains([]string{".json", ".csv"}, path.Ext(name))
		return strings.Count(name, "/") > 1 || beside
	})
	slices.SortStableFunc(few, func(a, b string) int {
		return kit.OneIf(b == delivery.PageName) - kit.OneIf(a == delivery.PageName)
	})
	if over := len(few) - most; over > 0 {
		few = slices.Delete(few, most-3, len(few)-3) // the manifests are last
	}
	return few
}

// events are what changes by itself.
func (a *page) events(w kit.Watched, add func(event, template string, data any) error) error {
	sent, err := a.sentOf(w.Production.Code)
	if err != nil {
		return err
	}
	return add("sent", "delivery/sent", sent)
}

// deliver freezes what a recipe hands on, and lets it go out.
func (a *page) deliver(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	recipe := c.FormValue("recipe")
	refuse := func(text string) error {
		return a.Update(c, kit.Answer{Production: p, Station: key, Mistake: kit.Mistake{
			Where: "delivery " + recipe, Field: "deliver", Message: text,
		}})
	}
	d, err := a.House.PlanDelivery(p.Production, recipe)
	if err != nil {
		return refuse(kit.Capital(err.Error()) + ".")
	}
	if d.Refused() {
		return refuse("It cannot go out as it is; what is wrong stands below.")
	}
	if c.FormValue("only") != "" {
		_, before, known, err := a.House.FormerDelivery(p.Code, recipe)
		if err != nil {
			return err
		}
		changes := delivery.Compare(before.Contents(), d.Contents())
		if d = d.Only(append(changes.Added, changes.Changed...)); !known || len(d.Contents()) == 0 {
			return refuse("Nothing has changed since the delivery before.")
		}
	}
	begun, err := a.House.BeginDelivery(d, "", kit.Author(c))
	if err == nil {
		err = a.deliverer.Want(begun.ID)
	}
	if err != nil {
		return refuse(kit.Capital(strings.ReplaceAll(err.Error(), a.House.Dir, "the data folder")) + ".")
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{
		Production: p, Station: key, Notice: fmt.Sprintf("%s, number %d, goes out.", d.Recipe.Name, begun.Number),
	})
}

// asked returns the delivery that a request names, of the production that it names.
func (a *page) asked(c *echo.Context) (store.Delivery, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return store.Delivery{}, store.ErrNotFound
	}
	d, err := a.House.Record.Delivery(id)
	if err == nil && !strings.EqualFold(d.Production, c.Param("code")) {
		err = fmt.Errorf("delivery %d: %w", id, store.ErrNotFound)
	}
	return d, err
}

// stop ends what is done of a delivery.
func (a *page) stop(c *echo.Context) error { return a.change(c, a.deliverer.Stop) }

// resume goes on with a delivery.
func (a *page) resume(c *echo.Context) error { return a.change(c, a.deliverer.Want) }

func (a *page) change(c *echo.Context, change func(id int64) error) error {
	d, err := a.asked(c)
	if err == nil {
		err = change(d.ID)
	}
	if err != nil {
		return err
	}
	a.Changes.Changed()
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return a.Update(c, kit.Answer{Production: p, Station: key})
}

// errIncomplete is what a delivery is answered with that is not complete.
var errIncomplete = echo.NewHTTPError(http.StatusConflict, "This delivery is not complete; resume it first.")

// errMoved is what a delivery is answered with whose files are not where they went to any more.
var errMoved = echo.NewHTTPError(http.StatusNotFound, "Its files are not there any more; deliver it again.")

// download answers with all of a delivery as one file, of which a browser may ask for a part.
func (a *page) download(c *echo.Context) error {
	d, err := a.asked(c)
	if err != nil {
		return err
	}
	if !d.Complete {
		return errIncomplete
	}
	name := house.PackageName(d, cmp.Or(d.Form, production.InZip))
	var content io.ReadSeekCloser
	if d.Form == production.InFolder {
		content, err = house.OpenPackage(c.Request().Context(), d.Folder, d.Begun)
	} else {
		content, _, err = house.OpenPlain(filepath.Join(d.Folder, name))
	}
	if errors.Is(err, os.ErrNotExist) {
		return errMoved
	} else if err != nil {
		return err
	}
	defer content.Close()
	h := c.Response().Header()
	h.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	h.Set("ETag", fmt.Sprintf("%q", fmt.Sprint(d.ID, "-", d.Ended.UnixNano())))
	http.ServeContent(c.Response(), c.Request(), name, d.Ended, content)
	return nil
}

// file answers with a file of a delivery that is looked at by itself.
func (a *page) file(c *echo.Context) error {
	d, err := a.asked(c)
	if err != nil {
		return err
	}
	if !d.Complete {
		return errIncomplete
	}
	name := c.Param("*")
	if !slices.Contains(shownFiles(d), name) {
		return store.ErrNotFound
	}
	f, _, err := house.OpenPlain(filepath.Join(d.Folder, filepath.FromSlash(name)))
	if errors.Is(err, os.ErrNotExist) {
		return errMoved
	} else if err != nil {
		return err
	}
	defer f.Close()
	if path.Ext(name) == ".html" { // it has styles, pictures and a script of its own, and nothing to do with this site
		c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; "+
			"script-src 'unsafe-inline'; img-src data:; media-src 'self'; sandbox allow-scripts")
	}
	http.ServeContent(c.Response(), c.Request(), name, d.Ended, f)
	return nil
}
