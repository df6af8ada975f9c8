package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/core/shotlist"
	"reelhouse/house"
)

// isShots reports whether a file holds shots or a cut, by its ending.
func isShots(path string) bool {
	switch strings.ToLower(filepath.Ext(path)) {
	case ".csv", ".otio", ".edl":
		return true
	}
	return false
}

// exportShots writes the shots or the cut of a production to a file.
func exportShots(complaints io.Writer, h *house.House, code, path string) error {
	p, err := chosen(h, code)
	if err != nil {
		return err
	}
	format := strings.TrimPrefix(strings.ToLower(filepath.Ext(path)), ".")
	if format == "csv" {
		var b bytes.Buffer
		if err := shotlist.Write(&b, p.Shots); err != nil {
			return err
		}
		return writeNew(path, b.Bytes())
	}
	files, said, err := house.WriteCut(format, p.Production)
	if err != nil {
		return err
	}
	for _, text := range said {
		fmt.Fprintln(complaints, "differs:", text)
	}
	for i, data := range files {
		name := path
		if len(files) > 1 {
			name = strings.TrimSuffix(path, filepath.Ext(path)) + "_" + strconv.Itoa(i+1) + filepath.Ext(path)
			fmt.Fprintln(complaints, "written:", name)
		}
		if err := writeNew(name, data); err != nil {
			return err
		}
	}
	return nil
}

// importedShots is what taking a file in does.
type importedShots struct {
	Production string             `json:"production"`
	Table      *shotlist.Change   `json:"table,omitempty"`
	Cut        *importedCut       `json:"cut,omitempty"`
	Mistakes   []shotlist.Mistake `json:"mistakes,omitempty"`
	// Proposed are columns of a table that are known by what is in them, and not by their names.
	Proposed []string `json:"proposed,omitempty"`
}

type importedCut struct {
	Name    string   `json:"name"`
	Tracks  int      `json:"tracks"`
	Clips   int      `json:"clips"`
	Frames  int      `json:"frames"`
	NoShot  int      `json:"noShot"` // clips that are no shot of the production
	Changed []string `json:"changed"`
	Dropped []string `json:"dropped"`
}

// importShots takes a table of shots or a cut into a production, or says what that would do.
func importShots(out io.Writer, data, into string, paths []string, dry, asJSON bool) error {
	var files []house.CutFile
	for _, path := range paths {
		file, err := os.Open(path)
		if err != nil {
			return err
		}
		defer file.Close()
		files = append(files, house.CutFile{Name: path, Data: file})
	}
	return reading(data, into, func(h *house.House, p production.Production) error {
		return takeShots(out, h, p, files, dry, asJSON)
	})
}

// takeShots takes the shots or the cut of open files.
func takeShots(
	out io.Writer, h *house.House, p production.Production, files []house.CutFile, dry, asJSON bool,
) error {
	path, file := files[0].Name, files[0].Data
	said := importedShots{Production: p.Code}
	var change edit.Command
	if strings.EqualFold(filepath.Ext(path), ".csv") {
		if len(files) > 1 {
			return fmt.Errorf("%s: one table of shots is taken in at a time", filepath.Base(path))
		}
		table, err := shotlist.Read(file)
		if err != nil {
			return fmt.Errorf("%s: %w", filepath.Base(path), err)
		}
		trial := p.Copy()
		columns, proposed := table.Propose(p)
		for i, byContents := range proposed {
			if byContents {
				said.Proposed = append(said.Proposed, fmt.Sprintf("%s is %s", table.Header[i], columns[i]))
			}
		}
		made, mistakes := table.Apply(&trial, columns)
		said.Table, said.Mistakes = &made, mistakes
		change = edit.ImportShots{File: filepath.Base(path), Table: table, Columns: columns}
	} else {
		r, left, err := house.ReadCut(files, p)
		if err != nil {
			return err
		}
		said.Cut = &importedCut{Name: r.Name, Tracks: len(r.Cut.Tracks), Frames: r.Cut.Length(), NoShot: left,
			Changed: r.Changed, Dropped: r.Dropped}
		for _, t := range r.Cut.Tracks {
			said.Cut.Clips += len(t.Clips)
		}
		change = edit.ImportCut{File: filepath.Base(path), Cut: r.Cut}
	}
	if err := said.say(out, os.Stderr, asJSON); err != nil {
		return err
	}
	if len(said.Mistakes) > 0 {
		return exitRefused
	}
	if dry {
		return nil
	}
	_, _, err := h.Do(p.Code, house.Editing{By: typist()}, change)
	return err
}

func (s importedShots) say(out, complaints io.Writer, asJSON bool) error {
	if asJSON {
		e := json.NewEncoder(out)
		e.SetIndent("", "  ")
		return e.Encode(s)
	}
	for _, m := range s.Mistakes {
		fmt.Fprintln(complaints, "wrong:", m)
	}
	for _, text := range s.Proposed {
		fmt.Fprintln(out, "by what is in it: column", text)
	}
	if t := s.Table; t != nil && len(s.Mistakes) == 0 {
		fmt.Fprintf(
			out, "%d shots are new, %d changed, %d stay as they are\n", len(t.Added), len(t.Changed), len(t.Same),
		)
		for _, name := range t.Ignored {
			fmt.Fprintf(out, "not read: column %s\n", name)
		}
	}
	if c := s.Cut; c != nil {
		fmt.Fprintf(
			out, "%s: %d clips on %d tracks, %d frames; %d clips are no shot\n", c.Name, c.Clips, c.Tracks, c.Frames,
			c.NoShot,
		)
		for _, text := range c.Changed {
			fmt.Fprintln(out, "changed:", text)
		}
		for _, text := range c.Dropped {
			fmt.Fprintln(out, "dropped:", text)
		}
	}
	return nil
}
