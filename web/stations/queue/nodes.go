package queue

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/farm/wire"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A shownNode is a node on another machine, as the page shows it.
type shownNode struct {
	store.Node
	wire.Hello          // the zero value before it has joined
	Here       bool     // it is connected
	Tasks      int      // in its hands
	Pause      kit.Edit // takes why
	Stop       kit.Action
	Resume     kit.Action
	Back       kit.Action
}

// Mean returns how many seconds a task has taken, 0 for not known.
func (n shownNode) Mean() float64 { return n.Seconds / float64(max(1, n.Done)) }

// Said returns the labels that it has itself, and those that people gave it.
func (n shownNode) Said() string {
	return strings.Join(append(slices.Clone(n.Hello.Labels), n.Node.Labels...), ", ")
}

// nodes returns the nodes on other machines.
func (a *page) nodes(code string) ([]shownNode, error) {
	all, err := a.House.Record.Nodes()
	if err != nil || len(all) == 0 {
		return nil, err
	}
	used, err := a.House.Record.InUse()
	if err != nil {
		return nil, err
	}
	here := a.Node.Names()
	shown := make([]shownNode, len(all))
	for i, n := range all {
		s := &shown[i]
		s.Node, s.Here = n, slices.Contains(here, n.Name)
		_ = json.Unmarshal([]byte(n.Hello), &s.Hello) // "" before it has joined
		if u := used[n.Name]; u != nil {
			s.Tasks = u.Tasks
		}
		id := "node-" + n.Name
		s.Pause = post(code, id+"-pause", "", "node", "node", n.Name, "do", "pause").Edit
		s.Stop = post(code, id+"-stop", "Stop now", "node", "node", n.Name, "do", "stop")
		s.Stop.Title = "It gives back what it has, at once, and takes nothing more"
		s.Resume = post(code, id+"-resume", "Resume", "node", "node", n.Name, "do", "resume")
		s.Back = post(code, id+"-back", "Take the token back", "node", "node", n.Name, "do", "back")
		s.Back.Title = "It is a node no more, at once; what it has is given back"
		s.Back.Confirm = fmt.Sprintf("Let %s be a node no more?", n.Name)
	}
	return shown, nil
}

// node does something with a node.
func (a *page) node(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	n, err := a.House.Record.FindNode(c.FormValue("node"))
	if errors.Is(err, store.ErrNotFound) {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "There is no such node any more.")
	} else if err != nil {
		return err
	}
	answer := kit.Answer{Production: p, Station: key}
	switch c.FormValue("do") {
	case "pause", "stop":
		if n.Stopped = c.FormValue("do") == "stop"; !n.Stopped {
			n.Paused = strings.TrimSpace(c.FormValue("value"))
		} else if n.Paused == "" {
			n.Paused = "it was stopped"
		}
		if n.Paused == "" || len(n.Paused) > mostReason {
			return echo.NewHTTPError(http.StatusUnprocessableEntity, "Say in a few words why it is paused.")
		}
		answer.Notice = fmt.Sprintf("%s finishes what it has, and takes nothing more.", n.Name)
		if n.Stopped {
			answer.Notice = fmt.Sprintf("%s is stopped; what it had is given back.", n.Name)
		}
		err = a.House.Record.SetNode(n)
	case "resume":
		n.Paused, n.Stopped, answer.Notice = "", false, fmt.Sprintf("%s takes tasks again.", n.Name)
		err = a.House.Record.SetNode(n)
	case "back":
		answer.Notice = fmt.Sprintf("%s is a node no more; what it had is given back.", n.Name)
		err = a.House.Record.RemoveNode(n.Name)
	default:
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "What is to be done with the node is missing.")
	}
	if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, answer)
}

// mostReason is how long a reason may be, in bytes.
const mostReason = 500
