// Package edit is every change that can be made to a production, as commands.
//
// A command is a struct whose fields say what is changed. It has a name that never changes, such as "shot.set"; it is
// written as JSON under that name, and read from JSON, from the values of a form, or from words such as
// frames=1001-1048. Apply makes the change and touches nothing but the production: what a command has to know of
// scenes, of presets or of other productions it asks for by Needs, and is given as Known. So a page, the command line
// and a program change a production in one and the same way, and a change can be tried on a copy before it is made.
//
//	c, err := edit.FromText("shot.set", map[string][]string{"shot": {"010"}, "frames": {"1001-1036"}})
//	err = edit.Apply(c, &p, edit.Known{})
//
// An error of FromText, FromJSON or Apply that a person has made is a *Mistake, which names the part and the field.
package edit
