package production

import (
	"fmt"
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
)

// A Problem is one thing that is wrong, and what to do.
type Problem struct {
	Where   string `json:"where"` // the part by its kind and code
	Field   string `json:"field"`
	Message string `json:"message"`
}

func (p Problem) Error() string { return p.Where + ": " + p.Message }

// MaxVersion is the highest version.
const MaxVersion = 9999

// MaxSamples is the most samples along one edge of a pixel.
const MaxSamples = 64

type problems []Problem

func (ps *problems) add(where, field, format string, args ...any) {
	*ps = append(*ps, Problem{where, field, fmt.Sprintf(format, args...)})
}

// codes checks that every code of a kind is usable and stands only once.
func (ps *problems) codes(kind string, codes []string) {
	seen := map[string]bool{}
	for _, c := range codes {
		switch {
		case !naming.ValidCode(c):
			ps.add(kind+" "+c, "code", "the code %q must be 1 to 32 letters, digits, hyphens or underscores", c)
		case seen[c]:
			ps.add(kind+" "+c, "code", "there are two of the code %s; change one", c)
		}
		seen[c] = true
	}
}

func codesOf[T any](list []T, code func(T) string) []string {
	var codes []string
	for _, t := range list {
		codes = append(codes, code(t))
	}
	return codes
}

// Problems returns everything that is wrong with the document by itself, in the order in which a production is set up.
func (p Production) Problems() []Problem { return p.Resolve().Problems }

// problems gathers everything that is wrong; resolve adds what the shots name that there is not.
func (p *Production) problems(resolve func(ps *problems)) []Problem {
	var ps problems
	ps.codes("production", []string{p.Code})
	if p.Version < 1 || p.Version > MaxVersion {
		ps.add("production", "version", "version %d is outside 1 to %d", p.Version, MaxVersion)
	}
	p.Standards.problems(&ps)
	if _, ok := p.FindQuality(p.Quality); !ok {
		ps.add("quality "+p.Quality, "code",
			"the quality chosen for the next batch does not exist; choose another",
		)
	}
	if p.Scene.SHA256 == "" {
		ps.add("scene", "file", "there is no scene yet; import a glTF file")
	}
	if u := p.Scene.Unit; u != 0 && !(u >= LeastUnit && u <= MostUnit) {
		ps.add("scene", "unit", "a unit of %v m is outside %v to %v m", u, LeastUnit, MostUnit)
	}
	if o := p.Scene.Opaque; o != nil && len(o.Cameras) == 0 {
		ps.add("scene", "cameras", "an opaque scene needs the name of at least one camera")
	}
	if err := p.Region.Check(); err != nil {
		ps.add("production", "region", "%s", err)
	}
	if p.Volume != "" && !naming.ValidCode(p.Volume) {
		ps.add("production", "volume", "%q is no code of a volume", p.Volume)
	}
	p.deliveryProblems(&ps)
	p.views(&ps)
	resolve(&ps)
	p.shots(&ps)
	p.cutProblems(&ps)
	p.passes(&ps)
	p.Standards.outputProblems(&ps)
	return ps
}

func (p *Production) views(ps *problems) {
	ps.codes("rig", codesOf(p.Rigs, func(r camera.Rig) string { return r.Code }))
	for _, r := range p.Rigs {
		where := "rig " + r.Code
		if err := r.Check(); err != nil {
			ps.add(where, "rig", "%s", err)
		}
		if _, ok := p.FindView(r.View); r.Kind == camera.Pair && !ok {
			ps.add(where, "view",
				"the view %q whose eyes they are does not exist; choose another, or remove the pair", r.View,
			)
		}
	}
	ps.codes("environment", codesOf(p.Environments, func(e EnvironmentFile) string { return e.Code }))
	ps.codes("look", codesOf(p.Looks, func(l look.Look) string { return l.Code }))
	for _, l := range p.Looks {
		if err := l.Check(); err != nil {
			ps.add("look "+l.Code, "look", "%s", err)
		}
		if _, ok := p.FindEnvironment(l.Environment.Map); l.Environment.Map != "" && !ok {
			ps.add("look "+l.Code, "environment", "the environment %q does not exist; choose another",
				l.Environment.Map,
			)
		}
	}
	ps.codes("view", codesOf(p.Views, func(v View) string { return v.Code }))
	for _, v := range p.Views {
		if _, ok := p.FindLook(v.Look); !ok {
			ps.add("view "+v.Code, "look", "the look %q does not exist; choose another", v.Look)
		}
		if err := v.Setup.Check(); err != nil {
			ps.add("view "+v.Code, "setup", "%s", err)
		}
		if v.Camera == "" && !v.Setup.Own() {
			ps.add("view "+v.Code, "camera", "it has neither a camera of the scene nor a place of its own; choose one")
		}
		p.sizeProblems(ps, v)
	}
}

// PassThere says why a pass cannot be rendered of the production, or nil.
func (p Production) PassThere(code pass.Code) error {
	if group, ok := code.LightGroup(); ok && group != pass.OtherLight &&
		!slices.ContainsFunc(p.LightGroups, func(g pass.LightGroup) bool { return g.Code == group }) {
		return fmt.Errorf("there is no light group %q; it was removed or renamed", group)
	}
	if _, ok := code.Matte(); ok {
		return fmt.Errorf("%s is taken out of frames that are finished, and not rendered", code)
	}
	_, err := pass.Find(code)
	return err
}

func (p Production) passes(ps *problems) {
	ps.codes("pass list", codesOf(p.PassLists, func(l PassList) string { return l.Code }))
	for _, l := range p.PassLists {
		if len(l.Passes) == 0 {
			ps.add("pass list "+l.Code, "passes", "it has no pass; choose at least one")
		}
		if err := l.Depth.Check(); err != nil {
			ps.add("depth "+l.Code, "depth", "%s", err)
		}
		for _, code := range l.Passes {
			if err := p.PassThere(code); err != nil {
				ps.add("pass list "+l.Code, "passes", "%s", err)
			}
		}
		for _, c := range l.Choices {
			described, err := pass.Find(c.Pass)
			switch {
			case err != nil:
				ps.add("pass list "+l.Code, "passes", "%s", err)
			case c.OtherDepth && described.IsCryptomatte():
				ps.add("pass list "+l.Code, "passes", "IDs of %s need 32 bits", described.Name)
			case c.OtherFilter && !described.Either:
				ps.add("pass list "+l.Code, "passes", "%s cannot be sampled in another way", described.Name)
			}
			for _, code := range c.Outputs {
				if _, ok := p.FindOutput(code); !ok {
					ps.add("pass list "+l.Code, "passes", "%s goes to the output %q, which does not exist", c.Pass,
						code,
					)
				}
			}
		}
	}
	if err := pass.CheckMattes(p.Mattes); err != nil {
		ps.add("mattes", "code", "%s", err)
	}
	if err := p.CheckGrades(); err != nil {
		ps.add("grades", "code", "%s", err)
	}
	if err := pass.CheckLightGroups(p.LightGroups); err != nil {
		ps.add("light groups", "code", "%s", err)
	}
}
