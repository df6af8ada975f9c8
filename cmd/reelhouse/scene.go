package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"reelhouse/core/scene"
)

// mostObjects are printed; JSON has all.
const mostObjects = 20

func sceneCommand() *cobra.Command {
	var asJSON bool
	var number int
	cmd := &cobra.Command{
		Use: "scene FILE", Short: "Report what a scene file holds, and what is wrong with it", Args: cobra.ExactArgs(1),
		Long: "Reads a glTF 2.0 file (.glb, .gltf with the files beside it, or a zip archive of them) and reports on " +
			"it. Exits with 0 if pictures can be made of it and nothing is wrong with it, 3 if not, 1 if it " +
			"cannot be read.",
		RunE: func(cmd *cobra.Command, args []string) error {
			s, err := readScene(args[0], number)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			r := s.Report()
			if asJSON {
				e := json.NewEncoder(cmd.OutOrStdout())
				e.SetIndent("", "  ")
				if err := e.Encode(r); err != nil {
					return err
				}
			} else {
				printScene(cmd.OutOrStdout(), r)
			}
			if !r.Usable() || r.Wrong > 0 {
				return exitFound
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().IntVar(&number, "scene", 0, "which scene of the file, from 1; 0 for the one that it marks as its own")
	return cmd
}

// readScene reads a scene of a file, and those that it refers to below its own folder.
func readScene(path string, number int) (*scene.Scene, error) {
	if !scene.IsFile(path) {
		file, err := os.Open(path)
		if err != nil {
			return nil, err
		}
		defer file.Close()
		return scene.ReadOne(file, number)
	}
	folder, err := os.OpenRoot(filepath.Dir(path))
	if err != nil {
		return nil, err
	}
	defer folder.Close()
	return scene.ReadFolder(folder.FS(), filepath.Base(path), number)
}

func printScene(out io.Writer, r scene.Report) {
	line := func(format string, args ...any) { fmt.Fprintf(out, format+"\n", args...) }
	line(
		"size       %s x %s x %s (across, up, deep): about as long as %s", scene.Length(r.Size.X),
		scene.Length(r.Size.Y), scene.Length(r.Size.Z), r.Comparison,
	)
	line("triangles  %d in %d meshes, %d nodes, %d materials", r.Triangles, len(r.Objects), r.Nodes, r.Materials)
	if len(r.Scenes) > 1 {
		line("scene      %d of %d: %s", r.Number, len(r.Scenes), strings.Join(r.Scenes, ", "))
	}
	line("movement   %.3g to %.3g s, %d objects move", r.Begin, r.End, r.Moving)
	for _, c := range r.Cameras {
		sees := fmt.Sprintf("%.1f mm, %.2f° across", c.Focal, c.Across)
		if c.Height > 0 {
			sees = "orthographic, " + scene.Length(c.Height) + " up"
		}
		line("camera     %s: %s%s", c.Name, sees, moves(c.Moves))
	}
	for _, l := range r.Lights {
		line("light      %s: %s, %.4g %s%s", l.Name, l.Kind, l.Intensity, l.Unit, moves(l.Moves))
	}
	for i, o := range r.Objects {
		if i == mostObjects {
			line("object     and %d more", len(r.Objects)-i)
			break
		}
		line(
			"object     %s: %d triangles, %.1f %%, shown %d times%s", o.Name, o.Triangles, 100*o.Share, o.Shown,
			moves(o.Moves || o.Deforms),
		)
	}
	for _, t := range r.Textures {
		line(
			"texture    %s: %s", t.Name,
			strings.TrimSpace(fmt.Sprintf("%s %d x %d, %d bytes %s", t.Type, t.Width, t.Height, t.Bytes, t.Fault)),
		)
	}
	for _, f := range r.Findings {
		kind := "look at"
		if f.Wrong {
			kind = "WRONG"
		}
		line("%-10s %s: %s", kind, f.Place, f.Text)
	}
	for _, n := range r.Notes {
		line("note       %s", n)
	}
	switch {
	case !r.Usable():
		line("NOT usable")
	case r.Wrong > 0:
		line("usable, but for what is WRONG")
	default:
		line("usable")
	}
}

func moves(yes bool) string {
	if yes {
		return ", moves"
	}
	return ""
}
