package delivery

import (
	"cmp"
	"fmt"
	"image"
	"math"
	"slices"

	"reelhouse/core/naming"
	"reelhouse/core/sprite"
)

// Sprites are the pictures of one sprite sheet: a shot in a size.
type Sprites struct {
	Title string
	Name  string // of its files, without endings
	Cells []SpriteCell
}

// A SpriteCell is a picture of a sprite sheet, by its place in the delivery.
type SpriteCell struct {
	Part, File int
	Name       string // of the file that it is by itself
	Angle      int
	Pose       string
	Seconds    float64
}

// SpriteSheets returns the sprite sheets: of each shot with several views, or of each shot if the recipe names shots.
// Cells come by poses and, in each, by angles.
func (d Delivery) SpriteSheets() []Sprites {
	type group struct{ shot, size string }
	parts := map[group][]int{}
	var order []group
	for i, p := range d.Parts {
		if p.Pictures == nil {
			continue
		}
		g := group{p.Shot, p.Size}
		if parts[g] == nil {
			order = append(order, g)
		}
		parts[g] = append(parts[g], i)
	}
	var all []Sprites
	for _, g := range order {
		of := parts[g]
		if len(of) < 2 && len(d.Recipe.Shots) == 0 {
			continue
		}
		s := Sprites{Title: g.shot + " " + g.size, Name: "sprites/" + clean(g.shot) + "_" + clean(g.size)}
		for _, i := range of {
			s.Cells = append(s.Cells, d.spritesOf(i, s.Name)...)
		}
		slices.SortStableFunc(s.Cells, func(a, b SpriteCell) int {
			frame := func(c SpriteCell) int { return d.Parts[c.Part].Pictures.Files[c.File].Frame }
			return cmp.Or(frame(a)-frame(b), a.Angle-b.Angle)
		})
		if len(s.Cells) > 0 {
			all = append(all, s)
		}
	}
	return all
}

// clean makes a part of a file's name of a code.
func clean(code string) string { return naming.Rules{}.Clean(code) }

// spritesOf returns the cells of a part.
func (d Delivery) spritesOf(part int, folder string) []SpriteCell {
	p := d.Parts[part]
	var cells []SpriteCell
	var frames []int
	for i, f := range p.Pictures.Files {
		if d.Recipe.Sprites.Frames == sprite.Labelled && f.Label == "" {
			continue
		}
		pose := cmp.Or(f.Label, fmt.Sprint(f.Frame))
		cells = append(cells, SpriteCell{
			Part: part, File: i, Angle: p.Angle, Pose: pose,
			Name: fmt.Sprintf("%s/%s_%03d.png", folder, clean(pose), p.Angle),
		})
		frames = append(frames, f.Frame)
	}
	for i := range cells { // the last one is shown for as long as the one before it
		last := min(i, max(0, len(frames)-2))
		cells[i].Seconds = 1 / d.Rate.PerSecond()
		if len(frames) > 1 {
			cells[i].Seconds *= float64(frames[last+1] - frames[last])
		}
	}
	return cells
}

// CellSize returns how large the whole picture of a cell is, in pixels.
func (d Delivery) CellSize(c SpriteCell) image.Point {
	of := d.Parts[c.Part].Pictures
	high := cmp.Or(d.Recipe.Sprites.Height, of.Size.Height)
	return image.Pt(max(1, int(math.Round(float64(high)*of.Aspect()))), high)
}

// Sprite returns a cell as it is packed, without its picture.
func (d Delivery) Sprite(c SpriteCell) sprite.Cell {
	of := d.Parts[c.Part].Pictures
	f := of.Files[c.File]
	cell := sprite.Cell{Name: c.Name, Angle: c.Angle, Pose: c.Pose, Frame: f.Frame, Seconds: c.Seconds}
	if f.Pivot != nil {
		size := d.CellSize(c)
		across, up := float64(size.X)/float64(of.Size.Width), float64(size.Y)/float64(of.Size.Height)
		cell.PivotX, cell.PivotY, cell.PerMetre = f.Pivot.X*across, f.Pivot.Y*up, f.Pivot.PerMetre*up
	}
	return cell
}

// Files returns what the files of a sprite sheet are called: the sheet, where its cells lie, each picture by itself,
// and an animation of each angle that has several poses.
func (s Sprites) Files() []string {
	files := []string{s.Name + ".png", s.Name + ".json", s.Name + ".csv"}
	for _, c := range s.Cells {
		files = append(files, c.Name)
	}
	for _, a := range s.Angles() {
		files = append(files, s.Preview(a))
	}
	return files
}

// Angles returns the angles that have several poses.
func (s Sprites) Angles() []int {
	poses := map[int]int{}
	var all []int
	for _, c := range s.Cells {
		if poses[c.Angle]++; poses[c.Angle] == 2 {
			all = append(all, c.Angle)
		}
	}
	slices.Sort(all)
	return all
}

// Preview returns what the animation of an angle is called.
func (s Sprites) Preview(angle int) string { return fmt.Sprintf("%s/preview_%03d.gif", s.Name, angle) }

// planSpriteSheets settles which sprite sheets are made.
func (d *Delivery) planSpriteSheets() {
	sheets := d.SpriteSheets()
	if len(sheets) == 0 && len(d.Parts) > 0 {
		text := "a sprite sheet shows a shot with several views, and there is none; name the shots that it is made of"
		if d.Recipe.Sprites.Frames == sprite.Labelled {
			text = "a sprite sheet of labelled frames needs frames with labels; label them, or take all frames"
		}
		d.find(true, "", "%s", text)
	}
	for _, s := range sheets {
		pixels := 0
		seen := map[string]bool{}
		for _, c := range s.Cells {
			size := d.CellSize(c)
			pixels += size.X * size.Y
			if seen[c.Name] {
				d.find(true, "", "sprite sheet of %s: two pictures would both be called %s", s.Title, c.Name)
				return
			}
			seen[c.Name] = true
		}
		if len(s.Cells) > sprite.MostCells || pixels > sprite.MostPixels {
			d.find(
				true,
				"",
				"the sprite sheet of %s would have %d cells of %d million pixels; %d cells of %d million are "+
					"possible",
				s.Title,
				len(s.Cells),
				pixels/1e6,
				sprite.MostCells,
				sprite.MostPixels/1_000_000,
			)
			continue
		}
		d.produce(SpriteSheet, s.Files(), d.Recipe.Sprites, s)
	}
}

// CheckSprites finds sprite sheets whose cells have no pivot, or do not share scale and ground line. Pivots are known
// by then.
func (d *Delivery) CheckSprites() {
	if !d.Recipe.Sprites.On {
		return
	}
	for _, s := range d.SpriteSheets() {
		var cells []sprite.Cell
		without := ""
		for _, c := range s.Cells {
			if d.Parts[c.Part].Pictures.Files[c.File].Pivot == nil {
				without = fmt.Sprintf("%d°, %s", c.Angle, c.Pose)
				continue
			}
			cells = append(cells, d.Sprite(c))
		}
		if without != "" {
			d.find(
				false,
				"",
				"sprite sheet of %s: where the pivot lies is not known, as at %s; it is 0, 0",
				s.Title,
				without,
			)
		}
		for _, text := range sprite.Differences(cells) {
			d.find(false, "", "sprite sheet of %s: cells differ in %s", s.Title, text)
		}
	}
}
