package main

import (
	"cmp"
	"fmt"
	"io"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"reelhouse/core/frame"
	"reelhouse/core/review"
	"reelhouse/house"
	"reelhouse/store"
)

// verdictCommand gives frames a verdict.
func verdictCommand() *cobra.Command {
	var data, frames, note, by string
	cmd := &cobra.Command{
		Use: "verdict TARGET approved|retake|question", Short: "Say what is decided of frames of a sequence",
		Args: cobra.ExactArgs(2),
		Long: "TARGET is a sequence or a frame, such as 12/010/quay/hd or 12/010/quay/hd/1001. Without --frames " +
			"all good frames of a sequence are meant. Approved frames take no other verdict until their " +
			"approval is taken back.",
		RunE: func(cmd *cobra.Command, args []string) error {
			kind, err := review.ParseKind(args[1])
			if err != nil {
				return &usageError{err}
			}
			return beside(data, func(h *house.House) error {
				scopes, err := targets(h, args[:1])
				if err != nil {
					return err
				}
				scope := scopes[0]
				if scope.Sequence == 0 {
					return &usageError{fmt.Errorf("%s is a batch; name one of its sequences", args[0])}
				}
				v := review.Verdict{Sequence: scope.Sequence, Kind: kind, Note: note}
				switch {
				case scope.Frame != nil && frames != "":
					return &usageError{fmt.Errorf("%s is one frame; leave --frames out", args[0])}
				case scope.Frame != nil:
					v.Frames = frame.Of(*scope.Frame, *scope.Frame)
				case frames == "":
					v.Frames, err = h.Record.GoodIn(scope.Sequence)
				default:
					v.Frames, err = frame.Parse(frames)
				}
				if err != nil {
					return &usageError{err}
				}
				id, err := h.Record.Decide(scope.Production, v, store.Author{Name: by})
				if err != nil {
					return err
				}
				fmt.Fprintf(cmd.OutOrStdout(), "verdict %d: %s, %s\n", id, kind, v.Frames)
				return nil
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&frames, "frames", "", "which frames, such as 1001-1010, 1015")
	cmd.Flags().StringVar(&note, "note", "", "what is to be said of them")
	cmd.Flags().StringVar(&by, "by", "", "who decides")
	return cmd
}

// verdictsCommand lists what was decided in a production.
func verdictsCommand() *cobra.Command {
	var data, back string
	var asCSV, asOTIO, asJSON bool
	cmd := &cobra.Command{
		Use: "verdicts PRODUCTION", Short: "List what was decided of frames, or write it as a table or as markers",
		Args: cobra.ExactArgs(1),
		Long: "Lists the verdicts that stand. --csv and --json have those that were taken back, too; --otio writes " +
			"an OpenTimelineIO file with a clip for each sequence and a marker for each verdict. --take-back N takes " +
			"the verdict of that number back.",
		RunE: func(cmd *cobra.Command, args []string) error {
			return beside(data, func(h *house.House) error {
				p, err := h.Record.Production(args[0])
				if err != nil {
					return err
				}
				if back != "" {
					return takeBack(cmd.OutOrStdout(), h, p.Code, back)
				}
				all, err := h.Seen(p.Code)
				switch out := cmd.OutOrStdout(); {
				case err != nil:
					return err
				case asCSV:
					return review.WriteCSV(out, all)
				case asOTIO:
					return review.WriteOTIO(out, p.Title+", verdicts", all)
				case asJSON:
					return printJSON(out, verdictLines(all))
				default:
					return printVerdicts(out, all)
				}
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asCSV, "csv", false, "write a table of comma-separated values")
	cmd.Flags().BoolVar(&asOTIO, "otio", false, "write an OpenTimelineIO file with markers")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().StringVar(&back, "take-back", "", "the number of a verdict that is taken back")
	cmd.MarkFlagsMutuallyExclusive("csv", "otio", "json", "take-back")
	return cmd
}

func takeBack(out io.Writer, h *house.House, code, text string) error {
	var id int64
	if _, err := fmt.Sscanf(text, "%d", &id); err != nil || fmt.Sprint(id) != text {
		return &usageError{fmt.Errorf("--take-back %s: the number of a verdict is wanted", text)}
	}
	v, err := h.Record.TakeBack(code, id, store.Author{})
	if err == nil {
		fmt.Fprintf(out, "verdict %d is taken back: %s, %s\n", id, v.Kind, v.Frames)
	}
	return err
}

// A verdictLine is a verdict as it is printed as JSON.
type verdictLine struct {
	Address string `json:"address"` // of the sequence
	Version int    `json:"version"`
	review.Verdict
}

func verdictLines(all []review.Seen) []verdictLine {
	lines := []verdictLine{}
	for _, s := range all {
		for _, v := range s.Verdicts {
			lines = append(lines, verdictLine{addressOf(s), s.Version, v})
		}
	}
	return lines
}

func addressOf(s review.Seen) string {
	return fmt.Sprintf("%d/%s/%s/%s", s.Batch, s.Shot, s.View, s.Size)
}

func printVerdicts(out io.Writer, all []review.Seen) error {
	table := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	for _, s := range all {
		for _, v := range review.Standing(s.Verdicts) {
			done := ""
			if v.Answered != 0 {
				done = fmt.Sprintf("made again in batch %d", v.Answered)
			}
			fmt.Fprintf(table, "%d\t%s\tv%03d\t%s\t%s\t%s\t%s\t%s\n", v.ID, addressOf(s), s.Version, v.Kind, v.Frames,
				review.Name(v.By), cmp.Or(v.Note, "-"), done)
		}
	}
	return table.Flush()
}

// A retakeLine is a sequence of which frames are to be made again, or that goes along, as it is printed as JSON.
type retakeLine struct {
	Shot     string    `json:"shot"`
	View     string    `json:"view"`
	Size     string    `json:"size"`
	From     int       `json:"from"` // version
	Version  int       `json:"version,omitempty"`
	Again    frame.Set `json:"again"`
	Rendered frame.Set `json:"rendered"`
	Reused   int       `json:"reused"`
	Refusal  string    `json:"refusal,omitempty"`
}

// retakesCommand says what is to be made again, and sends it.
func retakesCommand() *cobra.Command {
	var data, note string
	var shots []string
	var send, anew, held, confirmed, asJSON bool
	cmd := &cobra.Command{
		Use: "retakes PRODUCTION", Short: "Say what is to be made again, or send it as the next version of its shots",
		Args: cobra.ExactArgs(1),
		Long: "Just the frames with the verdict retake are rendered; the others are reused, as they are, so " +
			"that the version is whole. A retake whose set-up is what it was is refused: the same picture would come " +
			"out. Exits with 3 if there is nothing to be made again.",
		RunE: func(cmd *cobra.Command, args []string) error {
			return beside(data, func(h *house.House) error {
				p, err := h.Record.Production(args[0])
				if err != nil {
					return err
				}
				r, err := h.RetakesOf(p.Production, anew, shots...)
				if err != nil {
					return err
				}
				lines := retakeLines(r)
				if asJSON {
					err = printJSON(cmd.OutOrStdout(), lines)
				} else {
					err = printRetakes(cmd.OutOrStdout(), lines)
				}
				switch {
				case err != nil:
					return err
				case len(lines) == 0:
					return exitFound
				case !send:
					return nil
				}
				how := house.Sending{Confirmed: confirmed}
				how.Note, how.Held = note, held
				id, err := h.SendRetakes(p.Production, anew, how, shots...)
				if err == nil && !asJSON {
					fmt.Fprintf(cmd.OutOrStdout(), "sent as batch %d\n", id)
				}
				return err
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringSliceVar(&shots, "shot", nil, "only these shots")
	cmd.Flags().BoolVar(&anew, "changed", false, "render frames whose set-up has changed, too")
	cmd.Flags().BoolVar(&send, "send", false, "send it")
	cmd.Flags().BoolVar(&held, "held", false, "on hold")
	cmd.Flags().BoolVar(&confirmed, "confirmed", false, "send it though there is something to confirm")
	cmd.Flags().StringVar(&note, "note", "", "a note for the batch")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func retakeLines(r house.Retakes) []retakeLine {
	lines := []retakeLine{}
	for _, shot := range r.Shots {
		for _, q := range shot.Sequences {
			l := retakeLine{
				Shot: shot.Shot, View: q.Source.Spec.View, Size: q.Source.Spec.SizeCode, From: q.Version,
				Version: shot.Version, Again: q.Again(), Refusal: shot.Refusal,
			}
			if q.Plan.Shot != "" {
				l.Rendered = q.Plan.Rendered()
				l.Reused = q.Plan.Frames.Count() - l.Rendered.Count()
			}
			lines = append(lines, l)
		}
	}
	return lines
}

func printRetakes(out io.Writer, lines []retakeLine) error {
	table := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	for _, l := range lines {
		what := fmt.Sprintf("v%03d: %s rendered, %s reused", l.Version, counted(l.Rendered.Count(), "frame"),
			counted(l.Reused, "frame"))
		if l.Refusal != "" {
			what = "refused: " + l.Refusal
		}
		fmt.Fprintf(table, "%s/%s/%s\tv%03d\tretake %s\t%s\n", l.Shot, l.View, l.Size, l.From,
			cmp.Or(l.Again.String(), "-"), what)
	}
	return table.Flush()
}
