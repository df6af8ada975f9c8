package pass

import (
	"fmt"
	"strings"
)

// About says in plain text what each of some passes is, for whoever gets their files: its channels, its unit, what it
// holds, and what it is taken for. groups are what its light groups are of.
func About(codes []Code, groups []LightGroup, depth DepthSettings) string {
	var b strings.Builder
	for _, code := range Sorted(codes) {
		p, err := Find(code)
		if err != nil {
			continue
		}
		if group, ok := code.LightGroup(); ok {
			for _, named := range LightPasses(groups) {
				if named.Code == LightCode(group) {
					p = named
				}
			}
		}
		fmt.Fprintf(&b, "%s\n  channels: %s\n", p.Name, strings.Join(p.ChannelNames(), ", "))
		unit := p.Unit
		switch {
		case code.OfDepth() && code != Occlusion:
			unit = depth.Style.String()
		case p.IsCryptomatte():
			unit = "IDs and shares of a pixel"
		case unit == "" && p.Data:
			unit = "numbers, not colour: no curve, no primaries"
		case unit == "":
			unit = "linear light"
		}
		fmt.Fprintf(&b, "  unit: %s\n  holds: %s\n  use: %s\n", unit, p.Meaning, p.Purpose)
		if p.IsCryptomatte() {
			fmt.Fprintf(&b, "  note: read it without any filter; the specification is Cryptomatte 1.2.0\n")
		}
		b.WriteByte('\n')
	}
	return b.String()
}
