package web

import (
	"cmp"
	"slices"
	"strings"

	"reelhouse/core/scene"
)

// mostSubjects are offered by their names.
const mostSubjects = 1000

// subjects returns the names of the scene's objects, each once.
func subjects(s *scene.Scene) []string {
	var names []string
	seen := map[string]bool{}
	for _, i := range s.At(0).Shown {
		if n := s.Nodes[i]; n.Mesh != scene.None && n.Name != "" && !seen[n.Name] {
			seen[n.Name] = true
			if names = append(names, n.Name); len(names) == mostSubjects {
				break
			}
		}
	}
	slices.SortFunc(names, func(a, b string) int { return cmp.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return names
}
