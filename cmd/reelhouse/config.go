package main

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"math"
	"os"
	"slices"

	"github.com/dustin/go-humanize"

	"reelhouse/assets"
	"reelhouse/core/work"
	"reelhouse/farm"
	"reelhouse/ffmpeg"
	"reelhouse/house"
	"reelhouse/store"
)

// configuration is the server's configuration file; docs/operations.md describes it.
type configuration struct {
	// Renderer is who usually renders, in the place of the built-in renderer.
	Renderer *farm.Renderer `json:"renderer"`
	// Renderers are further ones, which scenes or people choose.
	Renderers []configuredRenderer `json:"renderers"`
	Volumes   []volume             `json:"volumes"`
	// Licences are how many of each the house has.
	Licences map[string]int `json:"licences"`
	// Kinds say what tasks of each kind need.
	Kinds []configuredKind `json:"kinds"`
	Nodes []configuredNode `json:"nodes"`
	// Destinations are folders that deliveries may go to.
	Destinations []house.Destination `json:"destinations"`
	// Movies are the programs that read movies, those on PATH if none are named.
	Movies ffmpeg.Programs `json:"movies"`
	// Machines are those that are woken when they would help; nil for none.
	Machines *machines `json:"machines"`
	// Verify is when all finished files are read and compared with the record; nil for never.
	Verify *nightly `json:"verify"`
}

// A configuredRenderer keeps the renderer contract, if it has a command, or is declared.
type configuredRenderer struct {
	farm.Renderer
	work.Declaration
	Needs string `json:"needs"`
}

// A configuredKind is what is said of a kind of work that ships, or a kind of follow-up with the program that does it.
type configuredKind struct {
	Name  work.Kind `json:"name"`
	Needs string    `json:"needs"`
	// The program of a follow-up is given the path of its order as its last argument.
	Command string   `json:"command"`
	Args    []string `json:"args"`
	Version string   `json:"version"`
	// By says whether it is done by frame or by sequence, and Follows whose files it is given: those of another kind of
	// follow-up, or what is rendered.
	By         string            `json:"by"`
	Follows    string            `json:"follows"`
	Extensions []string          `json:"extensions"`
	Parameters map[string]string `json:"parameters"`
	Note       string            `json:"note"` // what it makes, in a few words
}

// A configuredNode is a node that this server starts.
type configuredNode struct {
	Name   string   `json:"name"`
	Slots  int      `json:"slots"`
	Labels []string `json:"labels"`
	Cores  int      `json:"cores"`
	Memory string   `json:"memory"`
}

// volume is a folder, on any disk, that finished files may be written to, or a bucket in a store of objects.
type volume struct {
	Code   string `json:"code"`
	Name   string `json:"name"`
	Folder string `json:"folder"`
	Bucket string `json:"bucket"` // its address; see bucket.Open
	Copies string `json:"copies"` // how much of it is kept on this machine, such as "20 GB"
	Sent   bool   `json:"sent"`   // nodes send its files, whatever folders they share
}

// configuration reads the configuration file, if there is one.
func (f serverFlags) configuration() (c configuration, err error) {
	if f.config == "" {
		if f.usual != nil {
			return f.usual()
		}
		return c, nil
	}
	data, err := os.ReadFile(f.config)
	if err != nil {
		return c, fmt.Errorf("configuration: %w", err)
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	err = d.Decode(&c)
	if err == nil {
		err = c.check()
	}
	if err != nil {
		return c, fmt.Errorf("configuration %s: %w", f.config, err)
	}
	return c, nil
}

// check says what is wrong with it, or nil.
func (c configuration) check() error {
	if c.Verify != nil {
		if err := c.Verify.check(); err != nil {
			return err
		}
	}
	if c.Machines != nil {
		if _, err := c.Machines.policy(); err != nil {
			return fmt.Errorf("machines: %w", err)
		}
	}
	taken := map[string]bool{house.BuiltIn: true}
	if c.Renderer != nil {
		switch {
		case c.Renderer.Command == "":
			return fmt.Errorf("the renderer has no command")
		case c.Renderer.Name == house.BuiltIn:
			return fmt.Errorf("only the renderer of this program is called %s", house.BuiltIn)
		}
		taken[c.Renderer.Name] = true
	}
	for _, r := range c.Renderers {
		if err := work.CheckWord("renderer", r.Name); err != nil {
			return err
		}
		if taken[r.Name] {
			return fmt.Errorf("renderer %s is there twice", r.Name)
		}
		taken[r.Name] = true
		if _, err := r.program(); err != nil {
			return fmt.Errorf("renderer %s: %w", r.Name, err)
		}
	}
	for name, n := range c.Licences {
		if err := work.CheckWord("licence", name); err != nil {
			return err
		}
		if n < 0 {
			return fmt.Errorf("licence %s: the house has %d of it", name, n)
		}
	}
	if _, err := c.works(); err != nil {
		return err
	}
	names := map[string]bool{}
	for _, n := range c.Nodes {
		if err := work.CheckWord("node", n.Name); err != nil {
			return err
		}
		if names[n.Name] {
			return fmt.Errorf("node %s is there twice", n.Name)
		}
		names[n.Name] = true
		if n.Slots < 0 || n.Slots > 1000 || n.Cores < 0 {
			return fmt.Errorf("node %s: %d slots, %d cores", n.Name, n.Slots, n.Cores)
		}
		for _, label := range n.Labels {
			if err := work.CheckWord("label", label); err != nil {
				return fmt.Errorf("node %s: %w", n.Name, err)
			}
		}
		if _, err := n.memory(); err != nil {
			return fmt.Errorf("node %s: %w", n.Name, err)
		}
	}
	return nil
}

func (n configuredNode) memory() (int64, error) {
	if n.Memory == "" {
		return 0, nil
	}
	bytes, err := humanize.ParseBytes(n.Memory)
	if err != nil || bytes > 1<<50 {
		return 0, fmt.Errorf("memory %q: write it as 16GB", n.Memory)
	}
	return int64(bytes), nil
}

// program returns the renderer as the farm starts it.
func (r configuredRenderer) program() (farm.Renderer, error) {
	p := r.Renderer
	if _, err := work.ParseOverride(r.Needs); err != nil {
		return p, err
	}
	declared := len(r.Line) > 0 || len(r.Files) > 0
	switch {
	case declared && p.Command != "":
		return p, fmt.Errorf(
			"it has a command, by which it keeps the renderer contract, and a declaration; it needs one",
		)
	case declared:
		var err error
		p.Declared, err = r.Declaration.Compile()
		return p, err
	case p.Command == "":
		return p, fmt.Errorf("it has neither a command nor the line of a declaration")
	}
	return p, nil
}

// shippedKinds are the kinds that a house knows of itself.
var shippedKinds = []work.Kind{work.Render, work.Assemble}

// works returns what tasks need.
func (c configuration) works() (work.Catalogue, error) {
	all := work.Catalogue{
		Kinds: map[work.Kind]work.Settings{}, Renderers: map[string]work.Override{}, Licences: maps.Clone(c.Licences),
	}
	for _, kind := range shippedKinds {
		all.Kinds[kind] = work.Settings{}
	}
	shipped := house.ShippedFollowUps()
	for _, f := range shipped {
		all.Kinds[work.Kind(f.Kind)] = work.Settings{}
	}
	for _, k := range c.Kinds {
		own := !slices.Contains(shippedKinds, k.Name) &&
			!slices.ContainsFunc(shipped, func(f work.Following) bool { return f.Kind == string(k.Name) })
		switch {
		case own && k.Command == "":
			return all, fmt.Errorf("kind %s: it has no command; render, assemble, checksums and values have one of "+
				"their own", k.Name)
		case own && k.By != byFrame && k.By != bySequence:
			return all, fmt.Errorf("kind %s: by is to be %q or %q", k.Name, byFrame, bySequence)
		case !own && (k.Command != "" || k.By != "" || k.Follows != "" || len(k.Extensions)+len(k.Parameters) > 0):
			return all, fmt.Errorf("kind %s ships; only what it needs can be said", k.Name)
		}
		needs, err := work.ParseOverride(k.Needs)
		if err != nil {
			return all, fmt.Errorf("kind %s: %w", k.Name, err)
		}
		all.Kinds[k.Name] = needs.On(work.Settings{})
	}
	if _, err := c.following(); err != nil {
		return all, err
	}
	for _, r := range c.Renderers {
		needs, err := work.ParseOverride(r.Needs)
		if err != nil {
			return all, fmt.Errorf("renderer %s: %w", r.Name, err)
		}
		all.Renderers[r.Name] = needs
	}
	return all, nil
}

// setVolumes takes the configured volumes over.
func (f serverFlags) setVolumes(h *house.House, c configuration) error {
	var all []store.Volume
	for _, v := range c.Volumes {
		one := store.Volume{
			Code: v.Code, Name: cmp.Or(v.Name, v.Code), Folder: v.Folder, Bucket: v.Bucket, Sent: v.Sent,
		}
		if (v.Folder == "") == (v.Bucket == "") {
			return fmt.Errorf("configuration %s: volume %q has either a folder or a bucket", f.config, v.Code)
		}
		if v.Copies != "" {
			n, err := humanize.ParseBytes(v.Copies)
			if err != nil || v.Bucket == "" || n > math.MaxInt64 || n == 0 {
				return fmt.Errorf("configuration %s: volume %q: copies is how much of a bucket is kept here, such as "+
					`"20 GB"`, f.config, v.Code)
			}
			one.Copies = int64(n)
		}
		all = append(all, one)
	}
	if err := errors.Join(h.SetVolumes(all), h.SetDestinations(c.Destinations)); err != nil {
		return fmt.Errorf("configuration %s: %w", f.config, err)
	}
	return nil
}

// renderer returns the renderer that the house usually renders with: the configured one, or the built-in one.
func (c configuration) renderer() (farm.Renderer, error) {
	if c.Renderer != nil {
		return *c.Renderer, nil
	}
	self, err := os.Executable()
	if err != nil {
		return farm.Renderer{}, err
	}
	print := house.BuiltInRenderer()
	return farm.Renderer{
		Name: print.Name, Version: print.Version, Command: self, Args: []string{"render", "--with-parent"},
	}, nil
}

// programs returns the renderers of the configuration, by their names, under a supervisor.
func (c configuration) programs(supervisor []string) (map[string]farm.Renderer, error) {
	all := map[string]farm.Renderer{}
	for _, r := range c.Renderers {
		p, err := r.program()
		if err != nil {
			return nil, fmt.Errorf("renderer %s: %w", r.Name, err)
		}
		p.Supervisor = supervisor
		all[p.Name] = p
	}
	return all, nil
}

// farm returns the nodes that the server starts: those of the configuration, or one with the name of the host.
func (f serverFlags) farm(h *house.House, hub *farm.Hub, log *slog.Logger) (*farm.Farm, error) {
	c, err := f.configuration()
	if err != nil {
		return nil, err
	}
	if err := f.setVolumes(h, c); err != nil {
		return nil, err
	}
	usual, err := c.renderer()
	if err != nil {
		return nil, err
	}
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	supervisor := []string{self, "supervise"}
	usual.Supervisor = supervisor
	h.OnlyBuiltIn = usual.Name == house.BuiltIn
	others, err := c.programs(supervisor)
	if err != nil {
		return nil, err
	}
	works, err := c.works()
	if err != nil {
		return nil, err
	}
	following, err := c.following()
	if err != nil {
		return nil, err
	}
	own := func(name string, args ...string) farm.Renderer {
		return farm.Renderer{Name: name, Command: self, Args: args, Supervisor: supervisor}
	}
	reader := own("reading", "admit")
	h.Assets.Movies = c.Movies
	h.Assets.Admit = func(kind assets.Admission, path string) error { return farm.Admit(reader, h.Work(), kind, path) }
	if len(c.Nodes) == 0 {
		host, err := os.Hostname()
		if err != nil {
			host = "localhost"
		}
		c.Nodes = []configuredNode{{Name: host, Slots: f.slots}}
	}
	all := &farm.Farm{Judges: farm.NewJudges(own("judge", "judge", "--orders"), h.Work())}
	for _, n := range c.Nodes {
		memory, err := n.memory()
		if err != nil {
			return nil, err
		}
		slices.Sort(n.Labels)
		all.Nodes = append(all.Nodes, &farm.Node{
			Name: n.Name, House: h, Hub: hub, Renderer: usual, Renderers: others, Works: works,
			FollowUps: c.followUpPrograms(self, supervisor), Following: following,
			Assembler: own("assembly", "assemble", "--with-parent"), Judge: own("judge", "judge"),
			Judges: all.Judges,
			Labels: slices.Compact(
				n.Labels,
			), Cores: n.Cores, Memory: memory, Slots: n.Slots, Idle: f.gate.noNode, Timeout: f.timeout, Log: log,
		})
	}
	return all, nil
}
