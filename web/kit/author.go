package kit

import (
	"crypto/rand"
	"encoding/base32"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/store"
)

// Until there are accounts, a browser keeps who sits at it: a name for people, and a key that tells two of one name
// apart.

const (
	authorCookie = "reelhouse-author"
	authorYears  = 5
	mostName     = 60 // letters of a name
)

// Author returns who asks.
func Author(c *echo.Context) store.Author {
	if by, ok := c.Get(authorCookie).(store.Author); ok { // who has just been given a key
		return by
	}
	kept, err := c.Cookie(authorCookie)
	if err != nil {
		return store.Author{}
	}
	key, name, _ := strings.Cut(kept.Value, ".")
	name, err = url.QueryUnescape(name)
	if err != nil || len(name) > 4*mostName || len(key) > 32 {
		return store.Author{}
	}
	return store.Author{Name: name, Key: key}
}

// keepAuthor lets the browser keep a name.
func keepAuthor(c *echo.Context, by store.Author) {
	if by.Key == "" {
		random := make([]byte, 10)
		rand.Read(random) // never fails
		by.Key = strings.ToLower(base32.StdEncoding.EncodeToString(random))
	}
	c.Set(authorCookie, by)
	c.SetCookie(&http.Cookie{
		Name: authorCookie, Value: by.Key + "." + url.QueryEscape(by.Name), Path: "/", HttpOnly: true,
		SameSite: http.SameSiteLaxMode, Expires: time.Now().AddDate(authorYears, 0, 0),
	})
}

// KnowAuthor gives every browser that looks at a page a key.
func KnowAuthor(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.Method == http.MethodGet && strings.Contains(r.Header.Get("Accept"), "text/html") && Author(c).Key == "" {
			keepAuthor(c, store.Author{})
		}
		return next(c)
	}
}

// named keeps the name that a person goes by.
func (a *App) named(c *echo.Context) error {
	name := strings.Join(strings.Fields(c.FormValue("name")), " ")
	if len([]rune(name)) > mostName {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "A name has at most 60 letters.")
	}
	by := Author(c)
	by.Name = name
	keepAuthor(c, by)
	return c.Redirect(http.StatusSeeOther, "/p/"+url.PathEscape(c.Param("code"))+"/history")
}

// Whose names an author for people.
func Whose(by store.Author) string {
	if by.Name == "" {
		return "somebody"
	}
	return by.Name
}
