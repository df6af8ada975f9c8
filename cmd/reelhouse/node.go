package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"text/tabwriter"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/klauspost/cpuid/v2"
	"github.com/spf13/cobra"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/core/work"
	"reelhouse/farm"
	"reelhouse/farm/gate"
	"reelhouse/farm/outside"
	"reelhouse/farm/wire"
	"reelhouse/house"
	"reelhouse/store"
)

// gateFlags say how nodes on other machines are let in.
type gateFlags struct {
	address string
	noNode  bool
	every   time.Duration
	lease   time.Duration
	check   float64 // percent
	trial   bool
	nats    []string
	ca      string
}

func (f *gateFlags) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.address, "farm", "",
		"let nodes on other machines in at this HOST:PORT, and their bytes at the next port (see docs/farm.md)")
	cmd.Flags().BoolVar(&f.noNode, "no-node", false, "render nothing on this machine")
	cmd.Flags().DurationVar(&f.every, "farm-beat", gate.UsualEvery, "how often a node says what it has")
	cmd.Flags().Float64Var(&f.check, "farm-check", 1,
		"percent of repeatable frames that are rendered on a second node, and compared")
	cmd.Flags().StringSliceVar(&f.nats, "nats", nil,
		"send messages by these NATS servers, tls://HOST:PORT with commas between, instead of the embedded one; "+
			"--farm is for bytes alone then (see reelhouse farm-cluster)")
	cmd.Flags().StringVar(&f.ca, "nats-ca", "",
		"file with the certificates that vouch for those servers (default: what this machine trusts)")
	cmd.Flags().BoolVar(&f.trial, "farm-simulated", false,
		"let simulated nodes in, too, whose pictures are not of the scene (see reelhouse fleet)")
	cmd.Flags().DurationVar(&f.lease, "farm-lease", gate.UsualLease,
		"after how long without a word a node loses what it has")
}

// cluster returns the NATS servers that were asked for; nil for the embedded one.
func (f gateFlags) cluster() (*gate.Cluster, error) {
	if len(f.nats) == 0 {
		if f.ca != "" {
			return nil, errors.New("--nats-ca is for the servers of --nats")
		}
		return nil, nil
	}
	c := &gate.Cluster{}
	for _, text := range f.nats {
		address := strings.TrimPrefix(strings.TrimPrefix(text, "tls://"), "nats://")
		if _, _, err := net.SplitHostPort(address); err != nil {
			return nil, fmt.Errorf("--nats %s: it is tls://HOST:PORT, several with commas between them", text)
		}
		c.Addresses = append(c.Addresses, address)
	}
	if f.ca != "" {
		text, err := os.ReadFile(f.ca)
		if err != nil {
			return nil, fmt.Errorf("--nats-ca: %w", err)
		}
		c.Authority = string(text)
	}
	return c, nil
}

// given reports whether nodes were asked for.
func (f gateFlags) given() bool { return f.address != "" || f.noNode || len(f.nats) > 0 }

// open lets nodes in, if it is to; nil if not.
func (f gateFlags) open(
	ctx context.Context, h *house.House, hub *farm.Hub, nodes *farm.Farm, log *slog.Logger,
) (*gate.Gate, error) {
	cluster, err := f.cluster()
	if err != nil {
		return nil, err
	}
	if f.address == "" {
		if cluster != nil {
			return nil, errors.New("with --nats, --farm HOST:PORT says where nodes fetch and send bytes")
		}
		if f.noNode {
			return nil, errors.New("with --no-node and without --farm nobody would render; let nodes in with --farm")
		}
		return nil, nil
	}
	if f.every < 10*time.Millisecond || f.lease < 2*f.every {
		return nil, errors.New(
			"a lease lasts for two beats at least, and a beat for 10 ms: see --farm-beat, --farm-lease",
		)
	}
	if !(f.check >= 0 && f.check <= 100) {
		return nil, errors.New("--farm-check is 0 to 100 percent")
	}
	g, err := gate.Open(ctx, gate.Options{
		House: h, Hub: hub, Address: f.address, Program: version, Every: f.every, Lease: f.lease, Log: log,
		Check: f.check / 100, Simulated: f.trial, Cluster: cluster,
		Like: nodes.Nodes[0].Like,
	})
	if err != nil {
		return nil, err
	}
	nodes.Others = g.Nodes
	nodes.Nodes[0].Keeps = g.Keeps
	return g, nil
}

func farmClusterCommand() *cobra.Command {
	var data string
	cmd := &cobra.Command{
		Use: "farm-cluster", Short: "Print what NATS servers of your own need for a house's nodes", Args: cobra.NoArgs,
		Long: "Prints the part of the servers' configuration that says who may come in: the house, and whoever it " +
			"knows as a node. Each server gets it beside its addresses, its certificate and its JetStream folder; " +
			"docs/farm.md has a whole one.",
		Example: "  reelhouse farm-cluster --data reelhouse-data > reelhouse.conf\n" +
			"  reelhouse serve --data reelhouse-data --farm 0.0.0.0:7351 --nats tls://a:4222,tls://b:4222,tls://c:4222",
		RunE: func(cmd *cobra.Command, _ []string) error {
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			text, err := gate.ClusterConfiguration(h)
			if err != nil {
				return err
			}
			_, err = io.WriteString(cmd.OutOrStdout(), text)
			return err
		},
	}
	dataFlag(cmd, &data)
	return cmd
}

func nodeTokenCommand() *cobra.Command {
	var data, name, by string
	var hosts []string
	var back bool
	var number int
	cmd := &cobra.Command{
		Use: "node-token", Short: "Let a machine be a node of this house, or do not any more", Args: cobra.NoArgs,
		Long: "Prints a token, with which `reelhouse node` joins on another machine. Whoever has it is that node: " +
			"keep it to yourself, and in a file that nobody else reads. The server has to have been started with " +
			"--farm.",
		Example: "  reelhouse node-token --name shed > shed.token\n  reelhouse node-token --name shed --take-back",
		RunE: func(cmd *cobra.Command, _ []string) error {
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			names := []string{name}
			if cmd.Flags().Changed("number") {
				if names, err = numbered(name, number); err != nil {
					return err
				}
			}
			if back {
				for _, name := range names {
					if err := h.Record.RemoveNode(name); err != nil {
						return fmt.Errorf("node %s: %w", name, err)
					}
					fmt.Fprintf(cmd.OutOrStdout(), "The token of %s is taken back; what the node had is given back.\n",
						name)
				}
				return nil
			}
			tokens, err := gate.NewTokens(h, names, hosts, store.Author{Name: by})
			for _, token := range tokens {
				fmt.Fprintln(cmd.OutOrStdout(), token)
			}
			return err
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&name, "name", "", "name of the node")
	cmd.Flags().StringArrayVar(&hosts, "at", nil,
		"name or address by which the node finds this machine; may be given several times (default: those of this "+
			"machine, if the server listens on all)")
	cmd.Flags().IntVar(&number, "number", 1, "print so many tokens, a line each, for nodes NAME-0001, NAME-0002, …")
	cmd.Flags().StringVar(&by, "by", "", "your name")
	cmd.Flags().BoolVar(&back, "take-back", false, "let it be a node no more")
	_ = cmd.MarkFlagRequired("name")
	return cmd
}

// mostTokens is how many tokens are made at once.
const mostTokens = 9999

// numbered returns so many names.
func numbered(name string, number int) (names []string, err error) {
	if number < 1 || number > mostTokens {
		return nil, fmt.Errorf("--number is 1 to %d", mostTokens)
	}
	for i := range number {
		names = append(names, fmt.Sprintf("%s-%04d", name, i+1))
	}
	return names, nil
}

func nodeCommand() *cobra.Command {
	var flags serverFlags
	var tokenFile, scratch, cache string
	var labels, shares []string
	cmd := &cobra.Command{
		Use: "node", Short: "Render for a house on another machine", Args: cobra.NoArgs,
		Long: "Joins the house that a token is of, and does what that gives it until it is ended. What it has done, " +
			"and the house could not take, it keeps in its scratch folder and hands over when the house is back.",
		Example: "  reelhouse node --token shed.token --slots 4 --labels fast",
		RunE: func(cmd *cobra.Command, _ []string) error {
			text, err := os.ReadFile(tokenFile)
			if err != nil {
				return fmt.Errorf("the token: %w", err)
			}
			token, err := wire.ParseToken(string(text))
			if err != nil {
				return fmt.Errorf("%s: %w", tokenFile, err)
			}
			most, err := humanize.ParseBytes(cache)
			if err != nil {
				return fmt.Errorf("--cache: %w", err)
			}
			o := outside.Options{
				Token: token, Scratch: scratch, Cache: int64(most),
				Log: slog.New(slog.NewTextHandler(os.Stderr, nil)), Load: machineLoad,
			}
			if o.Scratch == "" {
				o.Scratch = "reelhouse-node-" + token.Name
			}
			if o.Scratch, err = filepath.Abs(o.Scratch); err != nil {
				return err
			}
			if err := flags.describe(&o, labels); err != nil {
				return err
			}
			for _, text := range shares {
				m, err := wire.ParseMapping(text)
				if err != nil {
					return fmt.Errorf("--share: %w", err)
				}
				o.Shares, o.Hello.Shares = append(o.Shares, m), append(o.Hello.Shares, m.House)
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			fmt.Fprintf(cmd.OutOrStdout(), "Node %s looks for its house at %s.\n", token.Name,
				strings.Join(token.Messages, ", "))
			return outside.Run(ctx, o)
		},
	}
	cmd.Flags().StringVar(&tokenFile, "token", "", "file with the node's token")
	cmd.Flags().StringVar(&flags.config, "config", "", "configuration file with the renderers that this machine has")
	cmd.Flags().IntVar(&flags.slots, "slots", 0, "tasks to do side by side; 0 for one a core")
	cmd.Flags().StringSliceVar(&labels, "labels", nil, "labels that tasks may ask for, with commas between them")
	cmd.Flags().StringVar(&scratch, "scratch", "", "folder for what it fetches and makes (default reelhouse-node-NAME)")
	cmd.Flags().StringArrayVar(&shares, "share", nil,
		"HOUSE=HERE: a folder of the house that this machine has, too; its files are neither fetched nor sent")
	cmd.Flags().StringVar(&cache, "cache", "20 GB", "how much of what was fetched is kept")
	_ = cmd.MarkFlagRequired("token")
	return cmd
}

// describe says what this machine has.
func (f serverFlags) describe(o *outside.Options, labels []string) error {
	c, err := f.configuration()
	if err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	supervisor := []string{self, "supervise"}
	usual, err := c.renderer()
	if err != nil {
		return err
	}
	usual.Supervisor = supervisor
	others, err := c.programs(supervisor)
	if err != nil {
		return err
	}
	o.Programs = map[string]farm.Renderer{farm.AssemblyProgram: {
		Name: "assembly", Command: self, Args: []string{"assemble", "--with-parent"}, Supervisor: supervisor,
	}}
	host, err := os.Hostname()
	if err != nil {
		host = "localhost"
	}
	h := wire.Hello{
		Version: wire.Version, Contract: job.Version, Program: version,
		System: runtime.GOOS + "/" + runtime.GOARCH, Machine: host,
		Processor: runtime.GOARCH + " " + cpuid.CPU.BrandName,
		Cores:     runtime.NumCPU(), Memory: machineMemory(), Slots: f.slots,
	}
	if h.Slots <= 0 {
		h.Slots = h.Cores
	}
	if h.Labels, err = work.ParseLabels(strings.Join(labels, ",")); err != nil {
		return fmt.Errorf("--labels: %w", err)
	}
	for _, r := range append(slices.Collect(maps.Values(others)), usual) {
		o.Programs[farm.ProgramOf(r)] = r
		h.Renderers = append(h.Renderers, r.Print())
	}
	for kind, r := range c.followUpPrograms(self, supervisor) {
		o.Programs[farm.KindProgram(kind)] = r
		h.Kinds = append(h.Kinds, fingerprint.Renderer{Name: kind, Version: r.Version})
	}
	slices.SortFunc(h.Renderers, byName)
	slices.SortFunc(h.Kinds, byName)
	o.Hello = h
	return nil
}

func byName(a, b fingerprint.Renderer) int { return strings.Compare(a.Name, b.Name) }

func nodesCommand() *cobra.Command {
	var data, pause, note string
	var resume, stop, asJSON bool
	var labels []string
	cmd := &cobra.Command{
		Use: "nodes [NAME]", Short: "Say which machines render for this house, or pause one",
		Args:    cobra.MaximumNArgs(1),
		Example: "  reelhouse nodes\n  reelhouse nodes shed --pause \"its fan\"\n  reelhouse nodes shed --resume",
		RunE: func(cmd *cobra.Command, args []string) error {
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			changes := cmd.Flags().Changed("pause") || resume || stop || cmd.Flags().Changed("note") ||
				cmd.Flags().Changed("labels")
			if len(args) == 0 {
				if changes {
					return errors.New("say which node: reelhouse nodes NAME --pause …")
				}
				all, err := h.Record.Nodes()
				if err != nil {
					return err
				}
				return printNodes(cmd.OutOrStdout(), h.Record, all, asJSON)
			}
			n, err := h.Record.FindNode(args[0])
			if err != nil {
				return fmt.Errorf("node %s: %w", args[0], err)
			}
			if !changes {
				return printNodes(cmd.OutOrStdout(), h.Record, []store.Node{n}, asJSON)
			}
			switch {
			case resume && (stop || pause != ""):
				return errors.New("it is either paused or resumed")
			case resume:
				n.Paused, n.Stopped = "", false
			case cmd.Flags().Changed("pause"):
				if n.Paused = strings.TrimSpace(pause); n.Paused == "" {
					return errors.New("say why it is paused, for whoever looks next")
				}
			}
			if n.Stopped = n.Stopped || stop; n.Stopped && n.Paused == "" {
				n.Paused = "it was stopped"
			}
			if cmd.Flags().Changed("note") {
				n.Note = note
			}
			if cmd.Flags().Changed("labels") {
				if n.Labels, err = work.ParseLabels(strings.Join(labels, ",")); err != nil {
					return fmt.Errorf("--labels: %w", err)
				}
			}
			return h.Record.SetNode(n)
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().StringVar(&pause, "pause", "", "let it finish what it has and take nothing more, for this reason")
	cmd.Flags().BoolVar(&stop, "stop", false, "give back what it has, at once, and take nothing more")
	cmd.Flags().BoolVar(&resume, "resume", false, "let it take tasks again")
	cmd.Flags().StringVar(&note, "note", "", "a note for people")
	cmd.Flags().StringSliceVar(&labels, "labels", nil, "labels beside those that it has itself")
	return cmd
}

// nodeRow is a node as JSON.
type nodeRow struct {
	Name    string           `json:"name"`
	Machine string           `json:"machine,omitempty"`
	System  string           `json:"system,omitempty"`
	Cores   int              `json:"cores,omitempty"`
	Slots   int              `json:"slots,omitempty"`
	Labels  []string         `json:"labels"`
	Program string           `json:"program,omitempty"`
	Paused  string           `json:"paused,omitempty"`
	Note    string           `json:"note,omitempty"`
	Made    time.Time        `json:"made"`
	By      string           `json:"by,omitempty"`
	Joined  time.Time        `json:"joined,omitzero"`
	Seen    time.Time        `json:"seen,omitzero"`
	Counts  store.NodeCounts `json:"counts"`
	Memory  int64            `json:"memory,omitempty"` // bytes
	State   store.NodeState  `json:"state"`
	// Programs are the versions of the renderers, and of what does kinds of work, by their names.
	Programs map[string]string `json:"programs,omitempty"`
	Lacks    []string          `json:"lacks,omitempty"` // of what the house has; it gets no tasks for that
	Tasks    int               `json:"tasks"`           // in its hands
	At       []string          `json:"at,omitempty"`
	Speed    float64           `json:"speed,omitempty"` // against the mean of all nodes: 2 is twice as fast
}

func rowOf(n store.Node, house wire.Programs) nodeRow {
	var said wire.Hello
	_ = json.Unmarshal([]byte(n.Hello), &said) // "" before it has joined
	row := nodeRow{
		Name: n.Name, Machine: said.Machine, System: said.System, Cores: said.Cores, Slots: said.Slots,
		Labels: append(said.Labels, n.Labels...), Program: said.Program, Paused: n.Paused, Note: n.Note, Made: n.Made,
		By: n.By, Joined: n.Joined, Seen: n.Seen, Counts: n.NodeCounts, Memory: said.Memory, State: n.State,
		Programs: map[string]string{},
	}
	for _, r := range slices.Concat(said.Renderers, said.Kinds) {
		row.Programs[r.Name] = r.Version
	}
	if said.Program != "" && !said.Simulated {
		row.Lacks = said.Lacks(house)
	}
	return row
}

// mostNamed is how many tasks of a node are named.
const mostNamed = 100

// rowsOf returns nodes as rows, with what they are at, and how fast they are.
func rowsOf(record *store.Store, all []store.Node) ([]nodeRow, error) {
	tasks, err := record.TasksAt(mostNamed)
	if err != nil {
		return nil, err
	}
	used, err := record.InUse()
	if err != nil {
		return nil, err
	}
	known, err := record.Nodes()
	if err != nil {
		return nil, err
	}
	house, err := gate.Programs(record)
	if err != nil {
		return nil, err
	}
	rows := make([]nodeRow, len(all))
	for i, n := range all {
		rows[i] = rowOf(n, house)
		rows[i].Speed = store.Speed(n, known)
		for _, t := range tasks[n.Name] {
			rows[i].At = append(rows[i].At, t.String())
		}
		if u := used[n.Name]; u != nil {
			rows[i].Tasks = u.Tasks
		}
	}
	return rows, nil
}

func printNodes(out io.Writer, record *store.Store, all []store.Node, asJSON bool) error {
	rows, err := rowsOf(record, all)
	if err != nil {
		return err
	}
	if asJSON {
		e := json.NewEncoder(out)
		e.SetIndent("", "  ")
		return e.Encode(rows)
	}
	if len(rows) == 0 {
		fmt.Fprintln(out, "No other machine renders for this house; reelhouse node-token lets one in.")
		return nil
	}
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "name\tmachine\tcores\ttasks\tlabels\tdone\tspeed\tfailed\trefused\tload\tdisk\tseen\tstate")
	for _, r := range rows {
		seen, state := "never", "takes tasks"
		if !r.Seen.IsZero() {
			seen = humanize.Time(r.Seen)
		}
		switch {
		case r.Paused != "":
			state = "paused: " + r.Paused
		case r.Seen.IsZero():
			state = "has not joined yet"
		case time.Since(r.Seen) > time.Minute:
			state, r.State = "away", store.NodeState{}
		case r.State.Trouble != "":
			state = r.State.Trouble
		case len(r.Lacks) > 0:
			state = "takes tasks, but none for " + strings.Join(r.Lacks, ", ")
		}
		fmt.Fprintf(w, "%s\t%s\t%d\t%d of %d\t%s\t%d\t%.2f\t%d\t%d\t%.0f %%\t%s\t%s\t%s\n", r.Name, r.Machine,
			r.Cores, r.Tasks, r.Slots, strings.Join(r.Labels, ","), r.Counts.Done, r.Speed, r.Counts.Failed,
			r.Counts.Refused, 100*r.State.Load, humanize.Bytes(uint64(max(0, r.State.Disk))), seen, state)
	}
	return w.Flush()
}

// runGate runs it until ctx ends; nil is nothing.
func runGate(ctx context.Context, g *gate.Gate) error {
	if g == nil {
		return nil
	}
	defer g.Close()
	return g.Run(ctx)
}
