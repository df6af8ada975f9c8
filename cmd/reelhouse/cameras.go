package main

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"reelhouse/house"
)

func camerasCommand() *cobra.Command {
	var data, code, format string
	var views []string
	cmd := &cobra.Command{
		Use: "cameras [FILE]", Short: "Write the cameras of views, for compositing", Args: cobra.MaximumNArgs(1),
		Long: "Writes the cameras of a production's views over all frames at which its scene moves, as binary glTF " +
			"2.0 or as USD text, to FILE or to standard output.",
		RunE: func(cmd *cobra.Command, args []string) error {
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			return writeCameras(cmd.OutOrStdout(), cmd.ErrOrStderr(), h, code, house.CameraFormat(format), views, args)
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&code, "production", "", "code of the production; needed when there are several")
	cmd.Flags().StringVar(&format, "format", string(house.CamerasUSD), "gltf or usda")
	cmd.Flags().StringSliceVar(&views, "view", nil, "code of a view; may be given several times. Left out: all")
	return cmd
}

func writeCameras(
	out, complaints io.Writer, h *house.House, code string, format house.CameraFormat, views, args []string,
) error {
	p, err := chosen(h, code)
	if err != nil {
		return err
	}
	file, left, err := h.Cameras(p.Production, format, views...)
	for _, text := range left {
		fmt.Fprintln(complaints, text)
	}
	if err != nil {
		return err
	}
	if len(args) == 0 {
		_, err = out.Write(file)
		return err
	}
	return writeNew(args[0], file)
}
