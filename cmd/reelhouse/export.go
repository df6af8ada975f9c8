package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"reelhouse/core/edit"
	"reelhouse/core/preset"
	"reelhouse/house"
	"reelhouse/store"
)

func exportCommand() *cobra.Command {
	var data, code, outputCode, presetName, name string
	cmd := &cobra.Command{
		Use:   "export [FILE]",
		Short: "Write a production's standards, an output, a preset, its shots or its cut as a file",
		Long: "Writes a preset file (JSON; see docs/formats.md) to FILE, or to standard output; the shots of the " +
			"production if FILE ends with .csv, its cut if it ends with .otio or .edl.",
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			if len(args) == 1 && isShots(args[0]) {
				return exportShots(cmd.ErrOrStderr(), h, code, args[0])
			}
			p, err := exported(h, code, outputCode, presetName)
			if err != nil {
				return err
			}
			if name != "" {
				p.Name = name
			}
			if err := p.Check(); err != nil {
				return err
			}
			if len(args) == 0 {
				return p.Write(cmd.OutOrStdout())
			}
			var b bytes.Buffer
			if err := p.Write(&b); err != nil {
				return err
			}
			return writeNew(args[0], b.Bytes())
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&code, "production", "", "code of the production; needed when there are several")
	cmd.Flags().
		StringVar(&outputCode, "output", "", "write this output of the production instead of all its standards")
	cmd.Flags().StringVar(&presetName, "preset", "", "write this saved preset of standards instead")
	cmd.Flags().StringVar(&name, "name", "", "the preset's name in the file")
	return cmd
}

// exported returns what is to be written.
func exported(h *house.House, code, outputCode, presetName string) (preset.Preset, error) {
	if presetName != "" {
		return h.Record.Preset(preset.Standards, presetName)
	}
	p, err := chosen(h, code)
	if err != nil {
		return preset.Preset{}, err
	}
	if outputCode == "" {
		return preset.OfStandards(p.Title, p.Production), nil
	}
	o, ok := p.FindOutput(outputCode)
	if !ok {
		return preset.Preset{}, fmt.Errorf("production %s has no output %q", p.Code, outputCode)
	}
	return preset.OfOutput(o.Name, o), nil
}

// writeNew writes a file beside its name and then gives it that; one that exists is not overwritten.
func writeNew(path string, data []byte) error {
	if _, err := os.Stat(path); err == nil {
		return fmt.Errorf("%s exists already; choose another name", path)
	}
	if err := writeSynced(path+".part", data); err != nil {
		return err
	}
	return os.Rename(path+".part", path)
}

func importCommand() *cobra.Command {
	var data, into, name string
	var replace, dry, asJSON bool
	cmd := &cobra.Command{
		Use:   "import FILE...",
		Short: "Take in a table of shots, a cut, or a preset file",
		Long: "A .csv file is a table of shots, an .otio or .edl file is a cut: they go into the production of " +
			"--into, or the only one, as a whole or not at all, " +
			"and what was read, changed and dropped is said. Several .edl files are lists that go on from each " +
			"other. Any other file is a preset, which is kept in the house, " +
			"and given to the production of --into.",
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if isShots(args[0]) {
				return importShots(cmd.OutOrStdout(), data, into, args, dry, asJSON)
			}
			if len(args) > 1 {
				return fmt.Errorf("one preset is taken in at a time")
			}
			file, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			p, err := preset.Read(file)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			if name != "" {
				p.Name = name
			}
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			return importPreset(cmd.OutOrStdout(), h, p, replace, into)
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&into, "into", "", "the production that it goes to; undo takes it back")
	cmd.Flags().StringVar(&name, "name", "", "keep it under this name")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "say what would be imported, and change nothing")
	cmd.Flags().BoolVar(&asJSON, "json", false, "say it as JSON")
	cmd.Flags().BoolVar(&replace, "replace", false, "replace a preset of the same name")
	return cmd
}

func importPreset(out io.Writer, h *house.House, p preset.Preset, replace bool, into string) error {
	if into != "" {
		if _, err := h.Record.Production(into); err != nil {
			return err
		}
	}
	if err := h.Record.SavePreset(p, replace); errors.Is(err, store.ErrTaken) {
		return fmt.Errorf("%w (--replace does that)", err)
	} else if err != nil {
		return err
	}
	fmt.Fprintf(out, "kept as the %s preset %q\n", p.Kind, p.Name)
	if into == "" {
		return nil
	}
	_, after, err := h.Do(into, house.Editing{By: typist()}, edit.RecallPreset{Kind: p.Kind, Preset: p.Name})
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "given to %s\n", after.Code)
	for _, problem := range after.Problems() {
		fmt.Fprintf(out, "to fix: %s: %s\n", problem.Where, problem.Message)
	}
	return nil
}
