package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"reelhouse/core/edit"
	"reelhouse/house"
	"reelhouse/store"
)

// typist is who edits on the command line.
func typist() store.Author {
	name := os.Getenv("USER")
	if name == "" {
		name = "somebody"
	}
	return store.Author{Name: name + " (command line)", Key: "command line"}
}

// edited is what `reelhouse edit --json` says.
type edited struct {
	Production string          `json:"production"`
	Revision   int             `json:"revision"`
	Summary    string          `json:"summary"`
	Changed    bool            `json:"changed"`
	Command    json.RawMessage `json:"command"`
}

func editCommand() *cobra.Command {
	var data, code, from string
	var dry, asJSON bool
	cmd := &cobra.Command{
		Use:   "edit [NAME [FIELD=VALUE ...]]",
		Short: "Change a production, as its pages do",
		Long: "Makes one change of a production. Without a name it lists all changes; with a name alone, the fields " +
			"of that one.\n" +
			"A field that is given several times is a list. A server that runs shows the change at once.",
		Example: "  reelhouse edit shot.set shots=010 frames=1001-1036 note=\"wait for the ferry\"\n" +
			"  reelhouse edit defaults.set sizes=scope sizes=hd\n" +
			"  echo '{\"command\":\"shot.split\",\"shot\":\"010\",\"at\":1020}' | reelhouse edit --from -",
		RunE: func(cmd *cobra.Command, args []string) error {
			out := cmd.OutOrStdout()
			if from == "" && len(args) == 0 {
				return listEdits(out, asJSON)
			}
			c, err := commandOf(cmd.InOrStdin(), from, args)
			if err != nil {
				return placed(err)
			}
			if c == nil {
				return listFields(out, args[0], asJSON)
			}
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			return makeEdit(out, h, code, c, dry, asJSON)
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&code, "production", "", "code of the production; needed when there are several")
	cmd.Flags().StringVar(&from, "from", "", "read the change as JSON from this file, or from standard input for -")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "say what would be changed, and change nothing")
	cmd.Flags().BoolVar(&asJSON, "json", false, "say it as JSON")
	return cmd
}

// commandOf reads a change from a file or from words; nil if there are no words after its name.
func commandOf(in io.Reader, from string, args []string) (edit.Command, error) {
	if from != "" {
		if len(args) > 0 {
			return nil, usagef("give the change as words or with --from, not both")
		}
		if from != "-" {
			file, err := os.Open(from)
			if err != nil {
				return nil, err
			}
			defer file.Close()
			in = file
		}
		data, err := io.ReadAll(io.LimitReader(in, mostEditBytes))
		if err != nil {
			return nil, err
		}
		return edit.FromJSON(data)
	}
	fields, err := edit.Fields(args[0])
	if err != nil {
		return nil, usagef("%w; `reelhouse edit` lists what there is", err)
	}
	if len(args) == 1 && len(fields) > 0 {
		return nil, nil
	}
	values := map[string][]string{}
	for _, word := range args[1:] {
		name, value, ok := strings.Cut(word, "=")
		if !ok {
			return nil, usagef("%q is no FIELD=VALUE", word)
		}
		values[name] = append(values[name], value)
	}
	for name, texts := range values {
		if len(texts) == 1 && texts[0] == "" { // an empty list
			for _, f := range fields {
				if f.Name == name && f.Many {
					values[name] = nil
				}
			}
		}
	}
	c, err := edit.FromText(args[0], values)
	if errors.Is(err, edit.ErrUnknown) {
		return nil, usagef("%w; `reelhouse edit %s` lists its fields", err, args[0])
	}
	return c, err
}

// mostEditBytes is how large a change as JSON may be.
const mostEditBytes = 64 << 20

func makeEdit(out io.Writer, h *house.House, code string, c edit.Command, dry, asJSON bool) error {
	p, err := chosen(h, code)
	if err != nil {
		return err
	}
	said := edited{Production: p.Code, Revision: p.Number, Summary: edit.Summary(c)}
	if said.Command, err = edit.ToJSON(c); err != nil {
		return err
	}
	if dry {
		_, err = h.Try(p.Production, c)
	} else {
		_, after, made := h.Do(p.Code, house.Editing{By: typist()}, c)
		err = made
		said.Production, said.Revision, said.Changed = after.Code, after.Number, err == nil && after.Number != p.Number
	}
	if err != nil {
		return placed(err)
	}
	if asJSON {
		return writeJSON(out, said)
	}
	switch {
	case dry:
		fmt.Fprintln(out, "would change:", said.Summary)
	case said.Changed:
		fmt.Fprintf(out, "changed: %s (revision %d of %s)\n", said.Summary, said.Revision, said.Production)
	default:
		fmt.Fprintln(out, "nothing to change:", said.Summary)
	}
	return nil
}

// listEdits lists all changes.
func listEdits(out io.Writer, asJSON bool) error {
	if asJSON {
		return writeJSON(out, edit.Names())
	}
	for _, name := range edit.Names() {
		fmt.Fprintln(out, name)
	}
	return nil
}

// placed says where a mistake is, too.
func placed(err error) error {
	var m *edit.Mistake
	if errors.As(err, &m) && m.Part != "" {
		return fmt.Errorf("%s, %s: %w", m.Part, m.Field, m)
	}
	return err
}

// listFields lists the fields of a change.
func listFields(out io.Writer, name string, asJSON bool) error {
	fields, err := edit.Fields(name)
	if err != nil {
		return err
	}
	if asJSON {
		return writeJSON(out, fields)
	}
	for _, f := range fields {
		line := f.Name
		if f.Label != f.Name {
			line += "  " + f.Label
		}
		if f.Unit != "" {
			line += ", " + f.Unit
		}
		switch {
		case f.Many:
			line += " (may be given several times)"
		case f.Bool:
			line += " (yes or no)"
		}
		fmt.Fprintln(out, line)
	}
	return nil
}

func writeJSON(out io.Writer, v any) error {
	e := json.NewEncoder(out)
	e.SetIndent("", "  ")
	return e.Encode(v)
}
