package main

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/work"
	"reelhouse/demo"
	"reelhouse/farm"
	"reelhouse/standin"
)

func rendererCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "renderer", Short: "List and check the renderers of the configuration"}
	cmd.AddCommand(rendererListCommand(), rendererCheckCommand())
	return cmd
}

// rendererLine is what is said of a renderer.
type rendererLine struct {
	Name     string   `json:"name"`
	Version  string   `json:"version,omitempty"`
	Usual    bool     `json:"usual,omitempty"` // renders what no scene and nobody chooses another one for
	Declared bool     `json:"declared,omitempty"`
	Scenes   []string `json:"scenes,omitempty"`
	Needs    string   `json:"needs,omitempty"`
	Line     string   `json:"line"`
}

func rendererListCommand() *cobra.Command {
	var flags serverFlags
	var asJSON bool
	cmd := &cobra.Command{
		Use: "list", Short: "List the renderers of the configuration", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := flags.configuration()
			if err != nil {
				return err
			}
			usual, err := c.renderer()
			if err != nil {
				return err
			}
			lines := []rendererLine{{
				Name: usual.Name, Version: usual.Version, Usual: true,
				Line: strings.Join(append([]string{usual.Command}, usual.Args...), " "),
			}}
			for _, r := range c.Renderers {
				l := rendererLine{
					Name: r.Name, Version: r.Version, Declared: len(r.Declaration.Line) > 0, Scenes: r.Scenes,
					Needs: r.Needs,
					Line:  strings.Join(append([]string{r.Command}, r.Args...), " "),
				}
				if l.Declared {
					l.Line = strings.Join(r.Declaration.Line, " ")
				}
				lines = append(lines, l)
			}
			if asJSON {
				return printJSON(cmd.OutOrStdout(), lines)
			}
			table := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
			fmt.Fprintln(table, "name\tversion\tscenes\tneeds\tcommand line")
			for _, l := range lines {
				scenes := cmp.Or(strings.Join(l.Scenes, " "), "chosen by people")
				if l.Usual {
					scenes = "all others"
				}
				fmt.Fprintf(
					table,
					"%s\t%s\t%s\t%s\t%s\n",
					l.Name,
					cmp.Or(l.Version, "-"),
					scenes,
					cmp.Or(l.Needs, "-"),
					l.Line,
				)
			}
			return table.Flush()
		},
	}
	cmd.Flags().StringVar(&flags.config, "config", "", "configuration file (JSON; see docs/operations.md)")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func printJSON(out io.Writer, thing any) error {
	e := json.NewEncoder(out)
	e.SetIndent("", "  ")
	return e.Encode(thing)
}

// rendererCheck is what came out when a renderer was tried.
type rendererCheck struct {
	Renderer string   `json:"renderer"`
	Good     bool     `json:"good"`
	Problems []string `json:"problems"`
	Seconds  float64  `json:"seconds"`
	Log      string   `json:"log"`
}

func rendererCheckCommand() *cobra.Command {
	var flags serverFlags
	var scene, cameraName string
	var asJSON bool
	cmd := &cobra.Command{
		Use: "check NAME", Short: "Render one small frame with a renderer, and say what is wrong",
		Args: cobra.ExactArgs(1),
		Long: "Renders one frame of a test scene as a node would, judges what was written, and prints the log. The " +
			"test " +
			"scene is the demo's harbour as glTF, or as a sketch for renderers that read " + standin.Ending +
			"; for one " +
			"that reads neither name a file of its own with --scene.\n\nExits with 0 if the frame is good, 3 if not.",
		RunE: func(cmd *cobra.Command, args []string) error {
			found, err := checkRenderer(cmd, flags, args[0], scene, cameraName)
			if err != nil {
				return err
			}
			out := cmd.OutOrStdout()
			if asJSON {
				err = printJSON(out, found)
			} else {
				fmt.Fprint(out, found.Log)
				for _, p := range found.Problems {
					fmt.Fprintln(out, "WRONG:", p)
				}
				if found.Good {
					fmt.Fprintf(out, "renderer %s is good: one frame in %.1f s\n", found.Renderer, found.Seconds)
				}
			}
			if err == nil && !found.Good {
				return exitFound
			}
			return err
		},
	}
	cmd.Flags().StringVar(&flags.config, "config", "", "configuration file (JSON; see docs/operations.md)")
	cmd.Flags().DurationVar(&flags.timeout, "timeout", 2*time.Minute, "give it up after this long")
	cmd.Flags().StringVar(&scene, "scene", "", "scene file to render, in the place of the test scene")
	cmd.Flags().StringVar(&cameraName, "camera", "", "camera of that file")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// checkRenderer renders a frame in a folder of its own, which is removed afterwards.
func checkRenderer(
	cmd *cobra.Command, flags serverFlags, name, scene, cameraName string,
) (found rendererCheck, err error) {
	found.Renderer = name
	c, err := flags.configuration()
	if err != nil {
		return found, err
	}
	self, err := os.Executable()
	if err != nil {
		return found, err
	}
	r, err := c.named(name, []string{self, "supervise"})
	if err != nil {
		return found, err
	}
	works, err := c.works()
	if err != nil {
		return found, err
	}
	needs, _ := works.Of(work.Class{Kind: work.Render, Renderer: name})
	r.Memory = needs.Memory
	folder, err := os.MkdirTemp("", "reelhouse-check-")
	if err != nil {
		return found, err
	}
	defer os.RemoveAll(folder)
	if scene == "" {
		if scene, cameraName, err = testScene(r, folder); err != nil {
			return found, err
		}
	} else if scene, err = filepath.Abs(scene); err != nil {
		return found, err
	}
	j, want := testJob(r, scene, cameraName, folder)
	began := time.Now()
	judged, log, err := farm.Try(cmd.Context(), r, folder, j, want, flags.timeout)
	found.Seconds, found.Log = time.Since(began).Seconds(), log
	if err != nil {
		found.Problems = append(found.Problems, err.Error())
	}
	found.Problems = append(append([]string{}, found.Problems...), judged...)
	found.Good = len(found.Problems) == 0
	return found, nil
}

// named returns the renderer of a name.
func (c configuration) named(name string, supervisor []string) (farm.Renderer, error) {
	usual, err := c.renderer()
	if err != nil {
		return usual, err
	}
	if usual.Name == name {
		usual.Supervisor = supervisor
		return usual, nil
	}
	all, err := c.programs(supervisor)
	if err != nil {
		return usual, err
	}
	r, known := all[name]
	if !known {
		return r, fmt.Errorf(
			"there is no renderer %s in the configuration; `reelhouse renderer list` names them",
			name,
		)
	}
	return r, nil
}

// testScene writes the scene that a renderer is tried with, and returns its path and the camera.
func testScene(r farm.Renderer, folder string) (path, cameraName string, err error) {
	if r.Declared != nil && r.Declared.Understands(demo.SketchName) {
		path = filepath.Join(folder, demo.SketchName)
		return path, "front", os.WriteFile(path, []byte(demo.Sketch()), 0o644)
	}
	if r.Declared != nil && len(r.Declared.Scenes) > 0 && !r.Declared.Understands(demo.SceneName) {
		return "", "", fmt.Errorf("there is no test scene that ends in %s; name a file with --scene",
			strings.Join(r.Declared.Scenes, " or "))
	}
	var b bytes.Buffer
	if err := demo.Scene().Write(&b); err != nil {
		return "", "", err
	}
	path = filepath.Join(folder, demo.SceneName)
	return path, "cam_quay", os.WriteFile(path, b.Bytes(), 0o644)
}

// testJob asks for a small frame of beauty, in the first format that the renderer writes it in.
func testJob(r farm.Renderer, scene, cameraName, folder string) (job.Job, inspect.Expected) {
	e := output.Encoding{
		Format:      output.EXR,
		Depth:       output.ByPass,
		Compression: output.ZIP,
		Level:       4,
		Alpha:       output.Premultiplied,
		Curve:       pixel.Linear,
	}
	png := output.Encoding{
		Format: output.PNG, Depth: output.Eight, Compression: output.Deflate, Level: 6, Alpha: output.NoAlpha,
		Curve: pixel.SRGB,
	}
	passes, size := []pass.Code{pass.Beauty}, raster.Size{Width: 192, Height: 80}
	if r.Declared != nil {
		for _, f := range r.Declared.Files {
			passes = f.Passes
			break
		}
		if r.Declared.Cannot([]job.File{{Encoding: e, Passes: passes}}, nil) != "" {
			e = png
		}
	}
	const number = 1001
	return job.Job{
		Version: job.Version, Scene: scene, View: job.View{Name: "test", Camera: cameraName, Setup: camera.Setup{}},
		Rate: frame.Rate{
			Numerator:   24,
			Denominator: 1,
		}, FirstFrame: number, Size: size, Passes: passes, Samples: 1, Filter: pixel.Box,
		Frames: []job.Frame{{Number: number, Files: []job.File{
			{Path: filepath.Join(folder, "tried."+e.Format.Ext()), Encoding: e, Passes: passes},
		}}},
	}, inspect.Expected{Encoding: e, Size: size, Passes: passes}
}
