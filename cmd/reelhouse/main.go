// Command reelhouse is the whole house in one program: the server with its node, the renderer that the node
// runs as a child process, and the tools for the command line.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"

	"github.com/spf13/cobra"
)

// version is the program's own; releases set it with -ldflags "-X main.version=...".
var version = "0.1.0"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := command().ExecuteContext(ctx); err != nil {
		if !errors.Is(err, errSaid) && !errors.As(err, new(exitCode)) {
			fmt.Fprintln(os.Stderr, "reelhouse:", err)
		}
		stop()
		var code exitCode
		if errors.As(err, &code) {
			os.Exit(int(code))
		}
		os.Exit(1)
	}
}

// errSaid ends the program with 1 when everything has been said already.
var errSaid = errors.New("said already")

func command() *cobra.Command {
	root := &cobra.Command{
		Use:           "reelhouse",
		Short:         "Set up, render and check the image sequences of a production",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(
		serveCommand(), demoCommand(), planCommand(), checkCommand(), sendCommand(), exportCommand(), importCommand(), verifyCommand(),
		renderCommand(), assembleCommand(), judgeCommand(), admitCommand(), superviseCommand(), inspectCommand(), sceneCommand(),
		camerasCommand(), versionCommand(),
	)
	return root
}

func versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the program's version", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			toolchain := "unknown"
			if info, ok := debug.ReadBuildInfo(); ok {
				toolchain = info.GoVersion
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "reelhouse %s, built with %s\n", version, toolchain)
			return err
		},
	}
}

// dataFlag adds --data, with REELHOUSE_DATA as its default.
func dataFlag(cmd *cobra.Command, data *string) {
	fallback := os.Getenv("REELHOUSE_DATA")
	if fallback == "" {
		fallback = "reelhouse-data"
	}
	cmd.Flags().StringVar(data, "data", fallback, "data folder (environment: REELHOUSE_DATA)")
}
