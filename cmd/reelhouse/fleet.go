package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/farm"
	"reelhouse/farm/fleet"
	"reelhouse/farm/outside"
	"reelhouse/farm/wire"
)

func fleetCommand() *cobra.Command {
	var file, config, scratch string
	var nodes int
	var seed uint64
	var seconds float64
	var lasts time.Duration
	var calm, asJSON bool
	cmd := &cobra.Command{
		Use: "fleet", Short: "Let simulated nodes join a house, to try it out", Args: cobra.NoArgs,
		Long: "Joins simulated nodes by the real protocol, all in one process: they take their time, fail, vanish, " +
			"sit on slow lines, compute wrongly and say things twice, by a seed. Their pictures are not of the " +
			"scene, so the house has to be one for trials: start it with --farm-simulated. At its end it says how " +
			"long the house took to answer.",
		Example: "  reelhouse serve --data trial --no-node --farm 127.0.0.1:7350 --farm-simulated\n" +
			"  reelhouse node-token --data trial --name fleet --number 1000 > fleet.tokens\n" +
			"  reelhouse fleet --nodes 1000 --seed 7 --token fleet.tokens",
		RunE: func(cmd *cobra.Command, _ []string) error {
			tokens, err := readTokens(file, nodes)
			if err != nil {
				return err
			}
			if !(seconds > 0) {
				return errors.New("--seconds is more than 0")
			}
			var like outside.Options // a node of this program, as which the simulated ones seem
			if err := (serverFlags{config: config}).describe(&like, nil); err != nil {
				return err
			}
			f := fleet.Fleet{Options: fleet.Options{
				Tokens: tokens, Scratch: scratch, Seed: seed, Seconds: seconds, Calm: calm, Program: version,
				Renderers: like.Hello.Renderers, Assembler: like.Programs[farm.AssemblyProgram],
				Create: createSynced, Open: openFile,
				Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError})),
			}}
			if f.Scratch == "" {
				if f.Scratch, err = os.MkdirTemp("", "reelhouse-fleet-"); err != nil {
					return err
				}
				defer f.Clear()
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			if lasts > 0 {
				var end context.CancelFunc
				ctx, end = context.WithTimeout(ctx, lasts)
				defer end()
			}
			if err := f.Run(ctx); err != nil {
				return err
			}
			if asJSON {
				e := json.NewEncoder(cmd.OutOrStdout())
				e.SetIndent("", "  ")
				return e.Encode(f.Report())
			}
			return f.Report().Print(cmd.OutOrStdout())
		},
	}
	cmd.Flags().StringVar(&file, "token", "", "file with tokens, a line each; see reelhouse node-token --number")
	cmd.Flags().IntVar(&nodes, "nodes", 0, "how many nodes; 0 for one a token")
	cmd.Flags().Uint64Var(&seed, "seed", 1, "number from which all that happens follows")
	cmd.Flags().Float64Var(&seconds, "seconds", 120, "mean time of a frame, in seconds")
	cmd.Flags().DurationVar(&lasts, "for", 0, "how long it lasts; 0 for until it is ended")
	cmd.Flags().BoolVar(&calm, "calm", false, "nothing goes wrong")
	cmd.Flags().StringVar(&config, "config", "", "configuration file of the house, for its renderers")
	cmd.Flags().StringVar(&scratch, "scratch", "",
		"folder for what the nodes keep (default one for this time, that is removed)")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	_ = cmd.MarkFlagRequired("token")
	return cmd
}

// readTokens reads so many tokens of a file, or all of them for 0.
func readTokens(file string, number int) (tokens []wire.Token, err error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("the tokens: %w", err)
	}
	for i, line := range strings.Split(strings.TrimSpace(string(text)), "\n") {
		token, err := wire.ParseToken(line)
		if err != nil {
			return nil, fmt.Errorf("%s, line %d: %w", file, i+1, err)
		}
		tokens = append(tokens, token)
	}
	switch {
	case number < 0:
		return nil, errors.New("--nodes is 0 or more")
	case number > len(tokens):
		return nil, fmt.Errorf("%s has %d tokens, and %d nodes were asked for; make more with reelhouse node-token "+
			"--number", file, len(tokens), number)
	case number > 0:
		tokens = tokens[:number]
	}
	return tokens, nil
}
