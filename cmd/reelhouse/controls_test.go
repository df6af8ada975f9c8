package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"reelhouse/house"
	"reelhouse/web/webtest"
)

// pages are the demo's pages, with what can be opened on them.
var pages = []string{
	"standards?open=tall", "scenes", "views?open=quay&beside1=bow", "views?open=night", "views?open=turn_1",
	"views?look=lamplight", "views?look=dusk", "views?rig=turn", "shots?open=010", "shots?open=040", "cut?open=0+1",
	"history?from=1&to=1", "passes?view=bow&list=comp", "output?open=master", "output?open=review", "output?open=proxy",
	"batch", "queue", "screening", "delivery?open=ferry", "delivery?open=comp",
}

// A control is an element of a page that sends something.
type control struct {
	node    *html.Node
	address string
	values  url.Values
}

// controls returns what a page sends, by htmx.
func controls(t *testing.T, body string) (posts, gets []control) {
	t.Helper()
	root, err := html.Parse(strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	for n := range root.Descendants() {
		c := control{node: n, values: url.Values{}}
		told(t, n, c.values)
		for field := range n.Descendants() {
			name := attribute(field, "name")
			switch {
			case name != "" && field.Data == "input":
				c.values.Set(name, attribute(field, "value"))
			case name != "" && field.Data == "select":
				c.values.Set(name, control{node: field}.options()[0])
			}
		}
		if c.address = attribute(n, "hx-post"); c.address != "" {
			posts = append(posts, c)
		}
		if c.address = attribute(n, "hx-get"); c.address != "" {
			gets = append(gets, c)
		}
	}
	return posts, gets
}

// told adds what an element sends beside its value: what it says itself, and what those say that it stands in.
func told(t *testing.T, n *html.Node, values url.Values) {
	t.Helper()
	if n.Parent != nil {
		told(t, n.Parent, values)
	}
	vals := attribute(n, "hx-vals")
	if vals == "" {
		return
	}
	var all map[string]any
	if err := json.Unmarshal([]byte(vals), &all); err != nil {
		t.Errorf("hx-vals of %s: %v", attribute(n, "id"), err)
	}
	for name, value := range all {
		values.Set(name, fmt.Sprint(value))
	}
}

func attribute(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

func has(n *html.Node, name string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == name })
}

// options returns the values that a choice has, the one that is chosen last.
func (c control) options() []string {
	var values []string
	chosen := ""
	for n := range c.node.Descendants() {
		if n.Type != html.ElementNode || n.Data != "option" || has(n, "disabled") {
			continue
		}
		value := attribute(n, "value")
		if !has(n, "value") && n.FirstChild != nil {
			value = n.FirstChild.Data
		}
		values = append(values, value)
		if has(n, "selected") {
			chosen = value
		}
	}
	if chosen == "" && len(values) > 0 {
		chosen = values[0]
	}
	if len(values) > mostOptions {
		values = values[:mostOptions]
	}
	return append(values, chosen)
}

// mostOptions is how many options of a choice are tried: longer ones are codes of a production's parts, all of a kind.
const mostOptions = 12

// demoSite serves the demo, without a node.
func demoSite(t *testing.T) *webtest.Site {
	t.Helper()
	h, err := house.Open(t.TempDir(), false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { h.Close() })
	if err := errors.Join(seed(h)); err != nil {
		t.Fatal(err)
	}
	return webtest.Over(t, h)
}

// Whatever a page sends has somewhere to go.
func TestEveryAddressOfAPageIsServed(t *testing.T) {
	s := demoSite(t)
	field := regexp.MustCompile(`\\?:[a-z]+`)
	served := func(method, address string) bool {
		path, _, _ := strings.Cut(address, "?")
		for _, r := range s.Routes {
			pattern := "^" + field.ReplaceAllString(regexp.QuoteMeta(r.Path), "[^/]+") + "$"
			if r.Method == method && regexp.MustCompile(pattern).MatchString(path) {
				return true
			}
		}
		return false
	}
	seen := map[string]bool{}
	for _, page := range append([]string{"../../?new=1"}, pages...) {
		target := "/p/SALT/" + page
		if page == "../../?new=1" {
			target = "/?new=1"
		}
		_, body := s.Get(target)
		posts, gets := controls(t, body)
		for _, c := range posts {
			if !served("POST", c.address) {
				t.Errorf("%s: %s posts to %s, which nothing serves", page, attribute(c.node, "id"), c.address)
			}
			seen[c.address] = true
		}
		for _, c := range gets {
			seen[c.address] = true
			address := c.address
			if !strings.Contains(address, "?") {
				address += "?" + c.values.Encode()
			}
			if code, _ := s.Get(address); code != http.StatusOK {
				t.Errorf("%s: %s asks for %s: %d", page, attribute(c.node, "id"), c.address, code)
			}
		}
	}
	if len(seen) < 40 {
		t.Errorf("only %d addresses were found", len(seen))
	}
}

// Every option of every choice can be taken: what a page offers, the server takes.
func TestEveryOptionCanBeTaken(t *testing.T) {
	s := demoSite(t)
	tried := map[string]bool{} // one choice of each field
	for _, page := range pages {
		_, body := s.Get("/p/SALT/" + page)
		posts, _ := controls(t, body)
		for _, c := range posts {
			which := c.address + " " + c.values.Get("field") + c.values.Get("set.pass")
			if c.node.Data != "select" || has(c.node, "disabled") || tried[which] {
				continue
			}
			tried[which] = true
			for _, value := range c.options() {
				p, err := s.House.Record.Production("SALT")
				if err != nil {
					t.Fatal(err)
				}
				form := maps.Clone(c.values)
				form.Set("value", value)
				form.Set("seen", strconv.Itoa(p.Number))
				form.Set("chosen", "010") // the box of a shot, which some choices are about
				code, body := s.Plain(c.address, form)
				if code != http.StatusOK || strings.Contains(body, "Not kept") {
					said := strings.TrimSpace(webtest.Said(body))
					t.Errorf("%s: %s of %q: %d %s", page, attribute(c.node, "id"), value, code, said)
				}
			}
		}
	}
	if len(tried) < 30 {
		t.Errorf("only %d choices were found", len(tried))
	}
}
