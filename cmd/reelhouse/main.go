// Command reelhouse is the whole house in one program: the server with its node, the renderer that the node
// runs as a child process, and the tools for the command line.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"reelhouse/core/edit"
)

// version is the program's own; releases set it with -ldflags "-X main.version=...".
var version = "0.1.0"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	root := command()
	cmd, err := root.ExecuteContextC(ctx)
	stop()
	os.Exit(int(codeOf(err, cmd, os.Stdout, os.Stderr)))
}

// codeOf says what went wrong, unless that was said already, and returns the exit code; docs/command-line.md tells them
// all. Where JSON was asked for, standard output gets some.
func codeOf(err error, cmd *cobra.Command, out, complaints io.Writer) exitCode {
	var code exitCode
	switch {
	case err == nil:
		return 0
	case errors.As(err, &code):
		return code
	}
	fmt.Fprintln(complaints, "reelhouse:", err)
	if f := cmd.Flags().Lookup("json"); f != nil && f.Value.String() == "true" {
		json.NewEncoder(out).Encode(map[string]string{"error": err.Error()})
	}
	var usage *usageError
	switch {
	case errors.As(err, &usage) || strings.HasPrefix(err.Error(), "unknown command"):
		return exitUsage
	case errors.As(err, new(*edit.Mistake)):
		return exitRefused
	case errors.Is(err, context.DeadlineExceeded):
		return exitTimedOut
	}
	return exitFailed
}

// A usageError says that a command was called wrongly.
type usageError struct{ err error }

func (e *usageError) Error() string { return e.err.Error() }
func (e *usageError) Unwrap() error { return e.err }

// usagef returns an error about how a command was called.
func usagef(format string, args ...any) error { return &usageError{fmt.Errorf(format, args...)} }

// strictly makes wrong arguments and flags of a command, and of those below it, usage errors.
func strictly(cmd *cobra.Command) {
	cmd.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return &usageError{err} })
	if check := cmd.Args; check != nil {
		cmd.Args = func(cmd *cobra.Command, args []string) error {
			if err := check(cmd, args); err != nil {
				return &usageError{err}
			}
			return nil
		}
	}
	for _, sub := range cmd.Commands() {
		strictly(sub)
	}
}

func command() *cobra.Command {
	root := &cobra.Command{
		Use:           "reelhouse",
		Short:         "Set up, render and check the image sequences of a production",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(
		serveCommand(), nodeCommand(), fleetCommand(), farmClusterCommand(),
		providerCommand(), nodeTokenCommand(), nodesCommand(),
		demoCommand(),
		planCommand(),
		checkCommand(),
		sendCommand(),
		exportCommand(),
		importCommand(),
		editCommand(),
		verifyCommand(),
		manifestCommand(),
		deliverCommand(),
		volumesCommand(),
		rendererCommand(),
		standinCommand(),
		renderCommand(),
		assembleCommand(),
		followUpCommand(),
		judgeCommand(),
		admitCommand(),
		superviseCommand(),
		inspectCommand(),
		sceneCommand(),
		camerasCommand(),
		noticesCommand(),
		versionCommand(),
	)
	root.AddCommand(queueCommands()...)
	strictly(root)
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
