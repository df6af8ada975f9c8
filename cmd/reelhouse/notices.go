package main

import (
	_ "embed"
	"io"

	"github.com/spf13/cobra"
)

// notices are the licences of everything that the program holds; `make notices` writes them.
//
//go:embed notices.txt
var notices string

func noticesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "notices", Args: cobra.NoArgs,
		Short: "Print the licences of what this program holds that others have made",
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, err := io.WriteString(cmd.OutOrStdout(), notices)
			return err
		},
	}
}
