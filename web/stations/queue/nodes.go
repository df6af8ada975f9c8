package queue

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/work"
	"reelhouse/farm/gate"
	"reelhouse/farm/wire"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A nodesPart is what the page shows of nodes on other machines.
type nodesPart struct {
	Open bool // the server lets them in
	All  []shownNode
	Code string // of the production whose page it is
	// Connected, Paused and Away count all of them; More are those that are not shown.
	Connected, Paused, Away, More int
}

// A shownNode is a node on another machine, as the page shows it.
type shownNode struct {
	store.Node
	wire.Hello             // the zero value before it has joined
	Here       bool        // it is connected
	Tasks      int         // in its hands
	At         []shownTask // the first of them
	Speed      float64     // against the mean of all: 2 is twice as fast; 0 for not known
	House      string      // version of the house, "" if it is the node's
	Lacks      string      // of what the house has, "" for nothing
	Pause      kit.Edit    // takes why
	Note       kit.Edit
	Label      kit.Edit
	Stop       kit.Action
	Resume     kit.Action
	Back       kit.Action
}

// Said returns the labels that it has itself.
func (n shownNode) Said() string { return strings.Join(n.Hello.Labels, ", ") }

// Given returns the labels that people gave it.
func (n shownNode) Given() string { return strings.Join(n.Node.Labels, ", ") }

// Has says which versions of which programs it has.
func (n shownNode) Has() string {
	said := []string{"Reelhouse " + n.Hello.Program}
	for _, r := range slices.Concat(n.Hello.Renderers, n.Hello.Kinds) {
		said = append(said, strings.TrimSpace(r.Name+" "+r.Version))
	}
	return strings.Join(slices.Compact(said), ", ")
}

// PercentBusy returns how busy its cores are.
func (n shownNode) PercentBusy() int { return int(100*n.State.Load + 0.5) }

// nodesShown returns the nodes on other machines.
func (a *page) nodesShown(code string) (nodesPart, error) {
	part := nodesPart{Open: a.Node.LetsIn(), Code: code}
	all, err := a.House.Record.Nodes()
	if err != nil || len(all) == 0 {
		return part, err
	}
	used, err := a.House.Record.InUse()
	if err != nil {
		return part, err
	}
	tasks, err := a.House.Record.TasksAt(fewTasks)
	if err != nil {
		return part, err
	}
	programs, err := gate.Programs(a.House.Record)
	if err != nil {
		return part, err
	}
	here := a.Node.Names()
	part.All = make([]shownNode, len(all))
	for i, n := range all {
		s := &part.All[i]
		s.Node, s.Here = n, slices.Contains(here, n.Name)
		_ = json.Unmarshal([]byte(n.Hello), &s.Hello) // "" before it has joined
		if u := used[n.Name]; u != nil {
			s.Tasks = u.Tasks
		}
		for _, t := range tasks[n.Name] {
			s.At = append(s.At, shownTask{t.String(), logLink(code, t.String(), 0, 0, "")})
		}
		s.Speed = store.Speed(n, all)
		if s.Hello.Program != "" && !s.Hello.Simulated { // it has joined
			if s.Lacks = strings.Join(s.Hello.Lacks(programs), ", "); s.Hello.Program != a.Version {
				s.House = a.Version
			}
		}
		id := "node-" + n.Name
		s.Pause = post(code, id+"-pause", "", "node", "node", n.Name, "do", "pause").Edit
		s.Note = post(code, id+"-note", "", "node", "node", n.Name, "do", "note").Edit
		s.Label = post(code, id+"-labels", "", "node", "node", n.Name, "do", "labels").Edit
		s.Stop = post(code, id+"-stop", "Stop now", "node", "node", n.Name, "do", "stop")
		s.Stop.Title = "It gives back what it has, at once, and takes nothing more"
		s.Resume = post(code, id+"-resume", "Resume", "node", "node", n.Name, "do", "resume")
		s.Back = post(code, id+"-back", "Take the token back", "node", "node", n.Name, "do", "back")
		s.Back.Title = "It is a node no more, at once; what it has is given back"
		s.Back.Confirm = fmt.Sprintf("Let %s be a node no more?", n.Name)
	}
	part.count()
	return part, nil
}

// count counts the nodes, and leaves so many that a page can show them: those first that somebody may have to look at.
func (p *nodesPart) count() {
	rank := func(n shownNode) int {
		switch {
		case n.Node.Paused != "" || n.Here && n.State.Trouble != "":
			return 0
		case !n.Here && !n.Seen.IsZero():
			return 1
		}
		return 2
	}
	for _, n := range p.All {
		switch {
		case n.Node.Paused != "":
			p.Paused++
		case n.Here:
			p.Connected++
		case !n.Seen.IsZero():
			p.Away++
		}
	}
	if p.More = len(p.All) - mostNodes; p.More <= 0 {
		p.More = 0
		return
	}
	slices.SortStableFunc(p.All, func(a, b shownNode) int { return rank(a) - rank(b) })
	p.All = p.All[:mostNodes]
}

const (
	fewTasks  = 3  // of a node are named
	mostNodes = 40 // are shown
)

// madeToken is a token that was made just now, and is shown once.
type madeToken struct{ Name, Token, Mistake string }

// token lets a machine be a node.
func (a *page) token(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	made := madeToken{Name: strings.TrimSpace(c.FormValue("name"))}
	if !a.Node.LetsIn() {
		made.Mistake = "The server lets no nodes in; start it with --farm HOST:PORT."
	} else if tokens, err := gate.NewTokens(a.House, []string{made.Name}, nil, kit.Author(c)); err != nil {
		made.Mistake = "Not made: " + err.Error()
	} else {
		made.Token = tokens[0].String()
		a.Changes.Changed()
	}
	return a.Part(c, key, "queue/node-token", made, p)
}

// renderedBy is what a node has made, as the side sheet shows it.
type renderedBy struct {
	Node string
	All  []renderedPart
	More int
}

type renderedPart struct {
	Name, Address string
	Frames        frame.Set
	One           bool // it is one task, not a sequence of frames
}

// rendered shows what a node has made.
func (a *page) rendered(c *echo.Context) error {
	n, err := a.House.Record.FindNode(c.Param("node"))
	if errors.Is(err, store.ErrNotFound) {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such node.")
	} else if err != nil {
		return err
	}
	all, more, err := a.House.Record.RenderedBy(n.Name, mostRendered)
	if err != nil {
		return err
	}
	shown := renderedBy{Node: n.Name, More: more}
	for _, r := range all {
		shown.All = append(shown.All, renderedPart{
			Name: r.Sequence.Address().String(), Frames: r.Frames,
			Address: fmt.Sprintf("/p/%s/queue?open=%d&alone=%d", c.Param("code"), r.Sequence.BatchID, r.Sequence.ID),
			One:     r.Sequence.Spec.FollowUp != nil && !r.Sequence.Spec.FollowUp.ByFrame,
		})
	}
	return c.Render(http.StatusOK, "queue/node-rendered", shown)
}

// mostRendered is of how many sequences it is shown.
const mostRendered = 100

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
	case "labels":
		if n.Labels, err = work.ParseLabels(c.FormValue("value")); err != nil {
			return echo.NewHTTPError(http.StatusUnprocessableEntity, kit.Capital(err.Error()))
		}
		answer.Notice = fmt.Sprintf("%s has its labels.", n.Name)
		err = a.House.Record.SetNode(n)
	case "note":
		if n.Note = strings.TrimSpace(c.FormValue("value")); len(n.Note) > mostReason {
			return echo.NewHTTPError(http.StatusUnprocessableEntity, "A note is 500 letters at most.")
		}
		answer.Notice = fmt.Sprintf("The note of %s is kept.", n.Name)
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
