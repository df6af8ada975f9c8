package scenes

import (
	"fmt"
	"strconv"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/floorplan"
	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/house"
	"reelhouse/web/kit"
)

// A unit is what one unit of a scene file may be, and how large the scene is then.
type unit struct {
	Name       string
	Metres     float64
	Value      string // as a form sends it
	Largest    string
	Comparison string
	Chosen     bool
	Use        kit.Action
}

// units are those in which scenes are commonly drawn: metres, as glTF has them, and what files are in nevertheless. An
// inch is 25.4 mm and a foot 12 inches (international yard and pound agreement, 1959).
var units = []unit{
	{Name: "metres", Metres: 1},
	{Name: "centimetres", Metres: 0.01},
	{Name: "millimetres", Metres: 0.001},
	{Name: "feet", Metres: 0.3048},
	{Name: "inches", Metres: 0.0254},
}

// mostObjects and mostChanges are shown at first; the rest folds out.
const (
	mostObjects = 14
	mostChanges = 24
)

type scenesPage struct {
	Scene           *scene.Scene
	Trouble         string
	Report          scene.Report
	Size            string // across, up, deep
	First, Last     int
	Count           int
	Few, Rest       []scene.ObjectReport
	Cameras         []shownCamera
	Plan            floorplan.Plan
	PlanSides       []kit.Link
	PlanText        float64 // height of its letters, in metres
	Units           []unit
	UnitField       kit.Field
	File            production.SceneFile
	Before          string // file that this one is compared with, "" for none
	Changes, Others []scene.Change
	Lost            []string // views and looks that no longer find what they name
	Incoming        []string
	Opaque          *production.Opaque
	Known           []scene.CameraReport // of an opaque scene whose cameras were read
	Notes           []string             // what was left aside of them
	NumberField     *kit.Field           // of the file's scenes; nil if there is one only
}

func (a *page) fill(v *kit.View) error {
	p := v.Production.Production
	page := &scenesPage{File: p.Scene}
	v.Page = page
	var err error
	if page.Incoming, err = a.House.Assets.Incoming(); err != nil {
		page.Trouble = "The folder incoming cannot be read: " + err.Error()
	}
	if p.Scene.SHA256 == "" {
		return nil
	}
	s, err := a.House.Assets.Scene(p.Scene)
	if err != nil {
		page.Trouble = err.Error()
		return nil
	}
	if page.Opaque = p.Scene.Opaque; page.Opaque != nil {
		page.First, page.Last = p.FirstFrame, house.LastFrame(p, s)
		page.Count = page.Last - page.First + 1
		page.Lost = lost(p, s)
		if page.Opaque.Read {
			r, err := a.House.Assets.Report(p.Scene)
			if err != nil {
				return err
			}
			page.Known, page.Notes = r.Cameras, r.Notes
		}
		return nil
	}
	if len(s.Scenes) > 1 {
		var names []kit.Option
		for i, name := range s.Scenes {
			names = append(names, kit.Option{Value: strconv.Itoa(i + 1), Text: name})
		}
		number := v.Part("scene", "").Field("number", "Scene of the file", s.Number).Among(names)
		page.NumberField = &number
	}
	r, err := a.House.Assets.Report(p.Scene)
	if err != nil {
		return err
	}
	page.Scene, page.Report = s, r
	page.Size = fmt.Sprintf("%.4g × %.4g × %.4g m", r.Size.X, r.Size.Y, r.Size.Z)
	page.First, page.Last = p.FirstFrame, house.LastFrame(p, s)
	page.Count = page.Last - page.First + 1
	page.plan(v, s)
	page.Few = r.Objects[:min(len(r.Objects), mostObjects)]
	page.Rest = r.Objects[len(page.Few):]
	page.fillUnits(v, r)
	page.Lost = lost(p, s)
	if p.Scene.Before != "" {
		before, err := a.House.Assets.Scene(
			production.SceneFile{
				Name:   "the file before",
				SHA256: p.Scene.Before,
				Unit:   p.Scene.Unit,
				Number: p.Scene.Number,
			},
		)
		if err != nil {
			return nil // it was taken away; there is nothing to compare with
		}
		page.Before = p.Scene.Before[:min(8, len(p.Scene.Before))]
		changes := scene.Compare(before, s)
		page.Changes = changes[:min(len(changes), mostChanges)]
		page.Others = changes[len(page.Changes):]
	}
	return nil
}

// fillUnits says how large the scene would be in each unit.
func (page *scenesPage) fillUnits(v *kit.View, r scene.Report) {
	now := v.Production.Scene.Unit
	if now == 0 {
		now = 1
	}
	part := v.Part("scene", "")
	page.UnitField = part.Field("unit", "One unit, in metres", kit.Number(now)).Mono(0)
	for _, u := range units {
		largest := r.Size.Max() / now * u.Metres
		u.Value, u.Chosen = kit.Number(u.Metres), u.Metres == now
		u.Largest, u.Comparison = scene.Length(largest), scene.Comparison(largest)
		u.Use = part.Field("unit", "", "").Set("Use this", "One unit of the file is one of these: "+u.Name, u.Value)
		page.Units = append(page.Units, u)
	}
}

// lost tells which views and looks name what the scene does not have.
func lost(p production.Production, s *scene.Scene) []string {
	var texts []string
	for _, v := range p.Views {
		for _, name := range v.Cameras() {
			if _, err := camera.SourceOf(s, name); err != nil {
				texts = append(texts, fmt.Sprintf("View %s looks through %s, which is not in the scene.", v.Code, name))
			}
		}
	}
	if p.Scene.Opaque != nil {
		return texts // nobody knows what is in it
	}
	for _, l := range p.Looks {
		lights, objects := l.Unmatched(s)
		if len(lights) > 0 {
			texts = append(
				texts,
				fmt.Sprintf("Look %s switches off %s, and no light is called so.", l.Code, strings.Join(lights, ", ")),
			)
		}
		if len(objects) > 0 {
			texts = append(
				texts,
				fmt.Sprintf("Look %s names %s, and no object is called so.", l.Code, strings.Join(objects, ", ")),
			)
		}
	}
	return texts
}
