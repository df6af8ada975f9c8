// Package preflight judges a batch before it is sent. Each rule has a name, a reason and, where one is
// sure, a fix.
package preflight

import (
	"reelhouse/core/frame"
	"reelhouse/core/plan"
)

// Severity says what a finding means for sending.
type Severity string

// The severities.
const (
	Refuses Severity = "refuses" // the batch cannot be sent
	Warns   Severity = "warns"   // the batch can be sent, and should be looked at
)

// A Finding is what one rule found at one place.
type Finding struct {
	Rule      string   `json:"rule"`
	Severity  Severity `json:"severity"`
	Where     string   `json:"where"`
	Message   string   `json:"message"`
	Why       string   `json:"why"`
	Fix       Fix      `json:"fix,omitempty"`
	Mandatory bool     `json:"mandatory,omitempty"` // it cannot be waived
	Waived    string   `json:"waived,omitempty"`    // the reason for which it was waived, "" if it was not
	// it counts for nothing once a person has confirmed that the batch is meant so
	NeedsConfirmation bool `json:"needsConfirmation,omitempty"`
}

// Holds reports whether the finding keeps the batch from being sent; confirmed says that a person has confirmed what
// needs that.
func (f Finding) Holds(confirmed bool) bool {
	return f.Severity == Refuses && f.Waived == "" && !(f.NeedsConfirmation && confirmed)
}

// An Unrendered is a sequence that cannot be rendered, by its title, and why.
type Unrendered struct{ Where, Why string }

// Facts are what the rules need to know beside the batch.
type Facts struct {
	Cameras   []string // of the scene
	LastFrame int      // the last frame at which the scene still moves
	FreeBytes float64  // on the batch's volume; negative if it is not known
	WorkBytes float64  // likewise in the data folder, where tiles lie until they are put together
	// VolumeFault is why nothing can be written to the batch's volume, "" if it can.
	VolumeFault string
	// Unreadable says that the renderer cannot read the scene, which is an opaque one.
	Unreadable bool
	// Unrendered are sequences that their renderer cannot render, or that have none.
	Unrendered []Unrendered
	// Diffs says what was sent earlier under the same paths, for each sequence; nil for nothing.
	Diffs []plan.Diff
	// Occupied are paths of frames that are new, where something stands that was not recorded.
	Occupied []string
	// Missing are the scene's textures that cannot be shown, with the reason.
	Missing []string
	// Undressed says what variants and textures looks ask for that the scene does not have, by shots.
	Undressed map[string][]string
	// Reach is how far apart any two things of the scene can be, in metres; 0 if it is not known.
	Reach float64
	// Clear are objects that can be seen through.
	Clear []string
	// ViewLooks are the looks of views by their codes, and Unused the views that no shot shows.
	ViewLooks map[string]string
	Unused    []string
	// Cut are the frames that the cut shows of each shot, by its code.
	Cut map[string]frame.Set
	// Busy are the seconds for which the queue has work already.
	Busy float64
}

// Rules returns the names of all rules, in the order in which they are applied, with what each is for.
func Rules() []Rule {
	var all []Rule
	for _, r := range rules {
		all = append(all, Rule{r.name, r.why, r.severity, r.mandatory})
	}
	return all
}

// A Rule is what is said of a rule.
type Rule struct {
	Name, Why string
	Severity  Severity
	Mandatory bool
}

// Check applies every rule and returns what they find, refusals first. The batch's waivers set findings aside.
func Check(b plan.Batch, f Facts) []Finding { return (*Checked)(nil).Again(b, f, nil).Findings }

// A State is what all findings together come to.
type State string

// The states of a batch.
const (
	Clean   State = "clean"
	Warned  State = "warned"
	Refused State = "refused"
)

// StateOf returns what findings come to; confirmed says that a person has confirmed that the batch is meant so.
func StateOf(findings []Finding, confirmed bool) State {
	state := Clean
	for _, f := range findings {
		if f.Holds(confirmed) {
			return Refused
		}
		if f.Waived == "" {
			state = Warned
		}
	}
	return state
}
