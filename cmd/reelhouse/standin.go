package main

import (
	"github.com/spf13/cobra"

	"reelhouse/standin"
)

// standinCommand is the renderer that stands in for those of other makers. Its flags are its own.
func standinCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "standin -sketch FILE" + standin.Ending + " [FLAG...]",
		Short: "Render a sketch, as a renderer of another maker would",
		Long: "A renderer that stands in for those of other makers: flags, log and file names of its own, and a " +
			"scene " +
			"format that only it reads. It shows how a renderer is declared, and misbehaves with -mood.",
		DisableFlagParsing: true,
		RunE: func(cmd *cobra.Command, args []string) error {
			if code := standin.Run(cmd.Context(), args, cmd.OutOrStdout(), cmd.ErrOrStderr()); code != 0 {
				return exitCode(code)
			}
			return nil
		},
	}
}
