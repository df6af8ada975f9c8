package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"reelhouse/core/pass"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/demo"
	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/standin"
	"reelhouse/store"
)

func demoCommand() *cobra.Command {
	var data, mistake string
	var headless bool
	var server serverFlags
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Make the demo production, and serve it or render it",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if headless && server.gate.given() {
				return errors.New("with --headless this machine renders alone: leave --farm and --no-node away")
			}
			h, err := house.Open(data, false)
			if err != nil {
				return err
			}
			defer h.Close()
			if err := seed(h); err != nil {
				return err
			}
			if !headless {
				if err := seedSketches(h); err != nil {
					return err
				}
			}
			if server.config == "" {
				server.usual = demoConfiguration
			}
			if mistake != "" {
				if err := makeMistake(h, mistake); err != nil {
					return err
				}
			}
			if headless {
				return renderDemo(cmd.Context(), h, server, cmd.OutOrStdout())
			}
			return serve(cmd.Context(), h, server, cmd.OutOrStdout())
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&headless, "headless", false, "send the draft batch, render it without a server, and exit")
	cmd.Flags().
		StringVar(&mistake, "mistake", "", "put something wrong in, to see the rule of this name find it on the "+
			"batch sheet; \"list\" names them")
	server.add(cmd)
	server.gate.add(cmd)
	return cmd
}

// makeMistake puts one of the demo's mistakes into its production, which undo takes back.
func makeMistake(h *house.House, rule string) error {
	var names []string
	for _, m := range demo.Mistakes() {
		if m.Rule == rule {
			_, err := h.Record.Edit(
				demoCode,
				store.Making{Summary: "mistake: " + m.What, By: typist()},
				func(p *production.Production) error {
					m.Make(p)
					return nil
				},
			)
			return err
		}
		names = append(names, m.Rule+": "+m.What)
	}
	return fmt.Errorf("the demo has these mistakes:\n%s", strings.Join(names, "\n"))
}

const demoCode = "SALT"

// seed makes the demo production unless it is there already.
func seed(h *house.House) error {
	if _, err := h.Record.Production(demoCode); !errors.Is(err, store.ErrNotFound) {
		return err
	}
	var b bytes.Buffer
	if err := demo.Scene().Write(&b); err != nil {
		return err
	}
	file, _, err := h.Assets.ImportScene(demo.SceneName, &b)
	if err != nil {
		return err
	}
	sky, err := demo.Clouds()
	if err != nil {
		return err
	}
	clouds, err := h.Assets.ImportEnvironment(demo.CloudsName, bytes.NewReader(sky))
	if err != nil {
		return err
	}
	p := demo.Production(file, clouds)
	p.Preset = demo.PresetName
	if p.Cut.Sound, err = h.Assets.ImportSound(demo.SoundName, bytes.NewReader(demo.Sound())); err != nil {
		return err
	}
	if err := h.Record.Create(p, typist()); err != nil {
		return err
	}
	return h.Record.SavePreset(preset.OfStandards(demo.PresetName, p), true)
}

// seedSketches makes the second production, whose scene only the stand-in of another maker reads.
func seedSketches(h *house.House) error {
	if _, err := h.Record.Production(demo.SketchCode); !errors.Is(err, store.ErrNotFound) {
		return err
	}
	scene, err := h.Assets.ImportOpaque(demo.SketchName, strings.NewReader(demo.Sketch()), demo.SketchScene())
	if err != nil {
		return err
	}
	p := demo.Sketches(scene)
	if err := h.Record.Create(p, typist()); err != nil {
		return err
	}
	return sendSketches(h, p)
}

// sendSketches sends the second production, with a list of checksums and an inspection of each sequence. One of its
// shots has to be mended before that comes.
func sendSketches(h *house.House, p production.Production) error {
	c, err := demoConfiguration()
	if err != nil {
		return err
	}
	var offered []work.Renderer
	for _, r := range c.Renderers {
		program, err := r.program()
		if err != nil {
			return err
		}
		offered = append(offered, program.Offered(work.Override(r.Needs)))
	}
	if _, err := h.Record.SetOffered(offered); err != nil {
		return err
	}
	how := house.Sending{By: typist(), Confirmed: true}
	how.Name = "Sketches, inspected, with their checksums"
	if how.FollowUps, err = h.WantedFollowUps(p, []string{string(work.Checksums), string(work.Inspection)},
		nil); err != nil {
		return err
	}
	_, err = h.SendDraft(p, how)
	return err
}

// demoConfiguration is that of the demo: the stand-in of another maker is declared, and there is one licence for it.
func demoConfiguration() (configuration, error) {
	self, err := os.Executable()
	if err != nil {
		return configuration{}, err
	}
	r := configuredRenderer{Needs: "licences=" + standin.Name + " chunk=12"}
	r.Name, r.Renderer.Version = standin.Name, standin.Version
	r.Declaration = work.Declaration{
		Line: []string{
			self, "standin", "-sketch", "(scene)", "-from", "(first)", "-to", "(last)", "-by", "(step)", "-wide",
			"(width)",
			"-high", "(height)", "-quality", "(samples)", "-into", "(files)", "-kind", "(ext)", "-mood=(value:mood)",
		},
		Scenes: []string{standin.Ending},
		Files:  []work.ForeignFile{{Name: "picture_(frame:5).(ext)", Passes: []pass.Code{pass.Beauty}}},
		Error:  "^HALYARD ERROR: (.*)", Progress: `\.\. ([0-9.]+) pct`, Wrote: `wrote file: (\S+)`,
	}
	return configuration{
		Renderers: []configuredRenderer{r}, Licences: map[string]int{standin.Name: 1},
	}, nil
}

// renderDemo sends the demo's batch, unless one is there that can go on, and renders until nothing is left.
func renderDemo(ctx context.Context, h *house.House, flags serverFlags, out io.Writer) error {
	batches, err := h.Record.Batches(demoCode)
	if err != nil {
		return err
	}
	if len(batches) == 0 {
		p, err := h.Record.Production(demoCode)
		if err != nil {
			return err
		}
		if _, err := h.SendDraft(p.Production, house.Sending{}); err != nil {
			return err
		}
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
	hub := farm.NewHub()
	nodes, err := flags.farm(h, hub, log)
	if err != nil {
		return err
	}
	defer nodes.Judges.Close()
	changed, end := hub.Listen()
	defer end()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	ended := make(chan error, 1)
	go func() { ended <- nodes.Run(ctx) }()
	var good, total int
	for said := -1; ; {
		batches, err := h.Record.Batches(demoCode)
		if err != nil {
			return err
		}
		counts := queue.Counts{}
		for _, b := range batches {
			for state, n := range b.Counts() {
				counts[state] += n
			}
		}
		good, total = counts[queue.Good], counts.Total()
		if good != said {
			said = good
			fmt.Fprintf(out, "%d of %d frames good, %d failed\n", good, total, counts[queue.Failed])
		}
		if counts.Left() == 0 {
			break
		}
		select {
		case <-changed:
		case err := <-ended:
			return errors.Join(err, ctx.Err())
		}
	}
	cancel()
	if err := <-ended; err != nil {
		return err
	}
	if good != total {
		fmt.Fprintf(out, "%d frames are not good; see their logs in the queue\n", total-good)
		return exitFound
	}
	fmt.Fprintf(out, "all %d frames are good, below %s\n", total, h.Output())
	return nil
}
