package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/assets"
	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/preview"
	"reelhouse/store"
	"reelhouse/web"
)

// serverFlags are the flags of every command that renders.
type serverFlags struct {
	address string
	config  string
	slots   int
	timeout time.Duration
	hosts   []string
}

func (f *serverFlags) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.address, "listen", "127.0.0.1:7340", "address to serve on")
	cmd.Flags().
		StringArrayVar(&f.hosts, "host", nil, "name that the house goes by, beside those of this machine and of "+
			"--listen; may be given several times")
	cmd.Flags().StringVar(&f.config, "config", "", "configuration file (JSON; see docs/operations.md)")
	cmd.Flags().IntVar(&f.slots, "slots", 0, "frames to render side by side; 0 for one a core")
	cmd.Flags().DurationVar(&f.timeout, "frame-timeout", farm.DefaultTimeout, "give up a frame after this long")
}

// configuration is the server's configuration file.
type configuration struct {
	Renderer *farm.Renderer `json:"renderer"`
	Volumes  []volume       `json:"volumes"`
}

// volume is a folder, on any disk, that finished files may be written to.
type volume struct {
	Code   string `json:"code"`
	Name   string `json:"name"`
	Folder string `json:"folder"`
}

// configuration reads the configuration file, if there is one.
func (f serverFlags) configuration() (c configuration, err error) {
	if f.config == "" {
		return c, nil
	}
	data, err := os.ReadFile(f.config)
	if err != nil {
		return c, fmt.Errorf("configuration: %w", err)
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(&c); err != nil {
		return c, fmt.Errorf("configuration %s: %w", f.config, err)
	}
	if c.Renderer != nil && c.Renderer.Command == "" {
		return c, fmt.Errorf("configuration %s: the renderer has no command", f.config)
	}
	if c.Renderer != nil && c.Renderer.Name == house.BuiltIn {
		return c, fmt.Errorf(
			"configuration %s: only the renderer of this program is called %s", f.config, house.BuiltIn,
		)
	}
	return c, nil
}

// setVolumes takes the configured volumes over.
func (f serverFlags) setVolumes(h *house.House, c configuration) error {
	var all []store.Volume
	for _, v := range c.Volumes {
		all = append(all, store.Volume{Code: v.Code, Name: cmp.Or(v.Name, v.Code), Folder: v.Folder})
	}
	if err := h.SetVolumes(all); err != nil {
		return fmt.Errorf("configuration %s: %w", f.config, err)
	}
	return nil
}

// renderer returns the configured renderer, or the built-in one.
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
		Name:    print.Name,
		Version: print.Version,
		Command: self,
		Args:    []string{"render", "--with-parent"},
	}, nil
}

func (f serverFlags) node(h *house.House, hub *farm.Hub, log *slog.Logger) (*farm.Node, error) {
	c, err := f.configuration()
	if err != nil {
		return nil, err
	}
	if err := f.setVolumes(h, c); err != nil {
		return nil, err
	}
	r, err := c.renderer()
	if err != nil {
		return nil, err
	}
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	h.OnlyBuiltIn = r.Name == house.BuiltIn
	supervisor := []string{self, "supervise"}
	r.Supervisor = supervisor
	own := func(name string, args ...string) farm.Renderer {
		return farm.Renderer{Name: name, Command: self, Args: args, Supervisor: supervisor}
	}
	reader := own("reading", "admit")
	h.Assets.Admit = func(kind assets.Admission, path string) error { return farm.Admit(reader, h.Work(), kind, path) }
	host, err := os.Hostname()
	if err != nil {
		host = "localhost"
	}
	return &farm.Node{
		Name: host, House: h, Hub: hub, Renderer: r, Assembler: own("assembly", "assemble", "--with-parent"),
		Judge: own("judge", "judge"),
		Slots: f.slots, Timeout: f.timeout, Log: log,
	}, nil
}

func serveCommand() *cobra.Command {
	var data string
	var flags serverFlags
	cmd := &cobra.Command{
		Use: "serve", Short: "Serve the house, and render what is in its queue", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			h, err := house.Open(data, false)
			if err != nil {
				return err
			}
			defer h.Close()
			return serve(cmd.Context(), h, flags, cmd.OutOrStdout())
		},
	}
	dataFlag(cmd, &data)
	flags.add(cmd)
	return cmd
}

// serve serves and renders until ctx ends.
func serve(ctx context.Context, h *house.House, flags serverFlags, out io.Writer) error {
	log := slog.New(slog.NewTextHandler(os.Stderr, nil))
	listener, err := net.Listen("tcp", flags.address)
	if err != nil {
		return fmt.Errorf("cannot serve on %s: %w; choose another address with --listen", flags.address, err)
	}
	node, err := flags.node(h, farm.NewHub(), log)
	if err != nil {
		listener.Close()
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	ended := make(chan error, 1)
	go func() {
		err := node.Run(ctx)
		if err != nil {
			cancel()
		}
		ended <- err
	}()
	fmt.Fprintf(out, "Reelhouse is at http://%s/\n", listener.Addr())
	err = web.Serve(ctx, listener, web.Server{
		House: h, Node: node, Changes: node.Hub, Thumbs: preview.NewThumbs(h, node.Draw),
		Previews: preview.New(h), Log: log,
		Hosts: flags.hosts,
	})
	cancel()
	return errors.Join(err, <-ended)
}
