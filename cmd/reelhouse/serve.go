package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/spf13/cobra"

	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/preview"
	"reelhouse/web"
)

// serverFlags are the flags of every command that renders.
type serverFlags struct {
	address string
	config  string
	slots   int
	timeout time.Duration
	hosts   []string
	usual   func() (configuration, error) // without a file
	gate    gateFlags
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
	flags.gate.add(cmd)
	return cmd
}

// serve serves and renders until ctx ends.
func serve(ctx context.Context, h *house.House, flags serverFlags, out io.Writer) error {
	log := slog.New(slog.NewTextHandler(os.Stderr, nil))
	listener, err := net.Listen("tcp", flags.address)
	if err != nil {
		return fmt.Errorf("cannot serve on %s: %w; choose another address with --listen", flags.address, err)
	}
	hub := farm.NewHub()
	nodes, err := flags.farm(h, hub, log)
	if err != nil {
		listener.Close()
		return err
	}
	defer nodes.Judges.Close()
	let, err := flags.gate.open(ctx, h, hub, nodes, log)
	if err != nil {
		listener.Close()
		return err
	}
	wakes, err := flags.waker(h, hub, let, log)
	if err != nil {
		listener.Close()
		if let != nil {
			let.Close()
		}
		return err
	}
	if err := nodes.Offer(); err != nil { // as on a full disk: the nodes try it again
		log.Warn("what the house renders with is not noted yet", "error", err)
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	ended := make(chan error, 1)
	go func() {
		err := nodes.Run(ctx)
		if err != nil {
			cancel()
		}
		ended <- err
	}()
	gated := make(chan error, 1)
	go func() { gated <- runGate(ctx, let) }()
	rested := make(chan struct{})
	go func() {
		defer close(rested)
		if wakes != nil {
			wakes.Run(ctx)
		}
	}()
	verified := make(chan struct{})
	go func() {
		defer close(verified)
		if c, err := flags.configuration(); err == nil && c.Verify != nil { // which was read before
			c.Verify.run(ctx, h, hub, log)
		}
	}()
	var figures []prometheus.Collector
	if let != nil {
		figures = append(figures, let)
	}
	fmt.Fprintf(out, "Reelhouse is at http://%s/\n", listener.Addr())
	err = web.Serve(ctx, listener, web.Server{
		House: h, Node: nodes, Changes: hub, Thumbs: preview.NewThumbs(h, nodes.Draw),
		Previews: preview.New(h), Log: log,
		Hosts: flags.hosts, Version: version, Figures: figures,
	})
	cancel()
	<-verified
	<-rested
	return errors.Join(err, <-gated, <-ended)
}
