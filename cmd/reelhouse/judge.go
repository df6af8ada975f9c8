package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"reelhouse/core/job"
	"reelhouse/farm"
)

// readOrder reads the order of a child process.
func readOrder(path string, into any) error {
	data, err := os.ReadFile(path)
	if err == nil {
		err = json.Unmarshal(data, into)
	}
	if err != nil {
		return fmt.Errorf("order: %w", err)
	}
	return nil
}

func judgeCommand() *cobra.Command {
	var orders bool
	cmd := childCommand(
		"judge ORDER.json",
		"Judge the files of an order (a node does it)",
		func(_ context.Context, path string, say func(job.Message)) error {
			var order farm.JudgeOrder
			if err := readOrder(path, &order); err != nil {
				return err
			}
			return farm.Judge(order, say)
		},
	)
	once := cmd.RunE
	cmd.Args = cobra.MaximumNArgs(1)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		switch {
		case orders && len(args) == 0:
			return farm.JudgeOrders(os.Stdin, os.Stdout)
		case orders || len(args) == 0:
			return errors.New("it judges what one order names, or what comes with --orders")
		}
		return once(cmd, args)
	}
	cmd.Flags().BoolVar(&orders, "orders", false, "do the orders that come on standard input, a line each")
	cmd.Hidden = true
	return cmd
}

func admitCommand() *cobra.Command {
	cmd := childCommand(
		"admit ORDER.json",
		"Read a file that comes in (a server does it)",
		func(_ context.Context, path string, _ func(job.Message)) error {
			var order farm.Admittance
			if err := readOrder(path, &order); err != nil {
				return err
			}
			return order.Kind.Read(order.Path)
		},
	)
	cmd.Hidden = true
	return cmd
}
