package kit

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
)

// An Edit is what a control posts: where to, and what it tells beside what is typed.
type Edit struct {
	Address string
	values  map[string]string
}

// edit returns what posts a command, such as "size.set".
func (v *View) edit(command string, values map[string]string) Edit {
	return Edit{v.Path("edit/" + command), values}
}

// Vals returns what is told beside what is typed, as a JSON object.
func (e Edit) Vals() (string, error) {
	if e.values == nil {
		return "{}", nil
	}
	text, err := json.Marshal(e.values)
	return string(text), err
}

// Mine is the edit whatever others have changed in the meantime.
func (e Edit) Mine() Edit { return e.with("mine", "1") }

// with returns the edit with a further value; a name without "." or one that bind knows.
func (e Edit) with(name, value string) Edit {
	values := map[string]string{name: value}
	for k, v := range e.values {
		if k != name {
			values[k] = v
		}
	}
	e.values = values
	return e
}

// Setting returns the edit with further fields of its command, in pairs of name and value.
func (e Edit) Setting(pairs ...string) Edit {
	for i := 0; i+1 < len(pairs); i += 2 {
		e = e.with("set."+pairs[i], pairs[i+1])
	}
	return e
}

// A Part is one thing of a production whose fields are edited on a page, such as a size.
type Part struct {
	view            *View
	kind, of, where string
}

// Part returns the part of a kind and a code; "" for the only one of its kind.
func (v *View) Part(kind, of string) Part {
	where := strings.ReplaceAll(kind, "-", " ")
	if of != "" {
		where += " " + of
	}
	return Part{v, kind, of, where}
}

// At returns the part with the name that problems call it by, if that is not its kind and code.
func (p Part) At(where string) Part {
	p.where = where
	return p
}

// Wrong returns the message about a field of the part, or "".
func (p Part) Wrong(field string) string { return p.view.Wrong(p.where, field) }

// A Field is one value that is edited in place: a line of text, a choice of options, or a tick box.
type Field struct {
	ID    string // of the control
	Label string // what it is called, in full, for those who see it and those who hear it
	Title string // more about it, for those who rest the pointer on it
	Value string // what is kept, or what was typed wrongly
	Edit  Edit
	// Mistake is what was wrong with the last try, or what is wrong with what is kept; "" for nothing.
	Mistake  string
	Conflict bool   // somebody else has changed the same; it waits for a decision
	Theirs   string // the address of the page with what the other has made of it
	Locked   bool   // it cannot be edited now
	// Of a line of text:
	Class       string // further classes
	Chars       int    // about how many letters it is wide; 0 for as wide as there is room
	Placeholder string // what is used while it is empty
	List        string // ID of a list of suggestions
	Live        string // address of the picture that shows what it would become while it is typed
	// Of a choice:
	Options []Option
	// Of a tick box:
	Boxed bool // it is one
	On    bool

	part Part
	name string
}

// Field returns a field of the part: a line of text, with what is kept.
func (p Part) Field(name, label string, value any) Field {
	f := Field{
		ID: p.kind + "-" + p.of + "-" + name, Label: label, part: p, name: name,
		Edit: p.view.edit(p.kind+".set", map[string]string{"of": p.of, "field": name}),
	}
	f.Value = fmt.Sprint(value)
	f.Theirs = p.view.Path(string(p.view.Station.Key))
	if p.view.Open != "" {
		f.Theirs += "?open=" + url.QueryEscape(p.view.Open)
	}
	return f.named(name)
}

// named finds what is wrong with the field, by the name that it goes by.
func (f Field) named(name string) Field {
	v := f.part.view
	f.Value = fmt.Sprint(v.Value(f.part.where, name, f.Value))
	f.Mistake, f.Conflict = v.Wrong(f.part.where, name), v.Conflict(f.part.where, name)
	return f
}

// Mono returns the field for codes and numbers, about chars letters wide; 0 for as wide as there is room.
func (f Field) Mono(chars int) Field { return f.Styled("mono", chars) }

// Number returns the field for a number in a column, about chars letters wide.
func (f Field) Number(chars int) Field { return f.Styled("mono right", chars) }

// Styled returns the field with further classes, about chars letters wide.
func (f Field) Styled(class string, chars int) Field {
	f.Class, f.Chars = class, chars
	return f
}

// Or returns the field with what is used while it is empty.
func (f Field) Or(placeholder any) Field {
	f.Placeholder = fmt.Sprint(placeholder)
	return f
}

// Suggest returns the field with the suggestions of a list.
func (f Field) Suggest(list string) Field {
	f.List = list
	return f
}

// Showing returns the field with the address of a picture that follows what is typed.
func (f Field) Showing(live string) Field {
	f.Live = live
	return f
}

// Among returns the field as a choice of options.
func (f Field) Among(options []Option) Field {
	f.Options = options
	return f
}

// Of returns the field as a choice of codes.
func (f Field) Of(codes []string) Field {
	for _, code := range codes {
		f.Options = append(f.Options, Option{Value: code, Text: code})
	}
	return f
}

// Tick returns a field of the part that is on or off.
func (p Part) Tick(name, label string, on bool) Field {
	f := p.Field(name, label, "")
	f.Boxed, f.On = true, on
	return f
}

// By returns the field as that of another command of the part: of its field, which is told further values in pairs.
func (f Field) By(command, field string, pairs ...string) Field {
	f.Edit.Address = f.part.view.Path("edit/" + command)
	f.Edit = f.Edit.with("field", field)
	for i := 0; i+1 < len(pairs); i += 2 {
		f.Edit = f.Edit.with(pairs[i], pairs[i+1])
	}
	return f.named(field)
}

// An Action is a button that changes something.
type Action struct {
	ID, Label string
	Title     string // what it does, in a sentence, "" for what is plain
	Class     string
	Edit      Edit
	Confirm   string // what is asked first, "" for nothing
}

// Action returns the action of a part: the command of its kind and name.
func (p Part) Action(name, label, title string) Action {
	return Action{
		ID: p.kind + "-" + p.of + "-" + name, Label: label, Title: title,
		Edit: p.view.edit(p.kind+"."+name, map[string]string{"of": p.of}),
	}
}

// Post returns an action that is no edit: it posts to a page of the production, with values in pairs.
func (v *View) Post(id, label, title, page string, pairs ...string) Action {
	a := Action{ID: id, Label: label, Title: title, Edit: Edit{Address: v.Path(page)}}
	for i := 0; i+1 < len(pairs); i += 2 {
		a.Edit = a.Edit.with(pairs[i], pairs[i+1])
	}
	return a
}

// Do returns the action of a command that is of no part, such as "cut.rebuild", with an ID of its own.
func (v *View) Do(id, label, title, command string) Action {
	return v.Post(id, label, title, "edit/"+command)
}

// Main returns the action as the button that the page is there for.
func (a Action) Main() Action {
	a.Class = "main"
	return a
}

// With returns the action that is done with a value.
func (a Action) With(value string) Action {
	if value != "" {
		a.ID += "-" + value
	}
	a.Edit = a.Edit.with("value", value)
	return a
}

// Telling returns the action with what its page shows, in pairs of name and value.
func (a Action) Telling(pairs ...string) Action {
	for i := 0; i+1 < len(pairs); i += 2 {
		a.Edit = a.Edit.with(pairs[i], pairs[i+1])
	}
	return a
}

// Setting returns the action that gives further fields of its command, in pairs of name and value.
func (a Action) Setting(pairs ...string) Action {
	a.Edit = a.Edit.Setting(pairs...)
	return a
}

// A Choice is one box of several that are ticked together.
type Choice struct {
	Value string
	On    bool
}

// Ticks are several boxes that are one value.
type Ticks struct {
	ID, Label string
	Edit      Edit
	Choices   []Choice
	Mistake   string
}

// Ticks returns the boxes of a field of the part.
func (p Part) Ticks(name, label string, choices []Choice) Ticks {
	f := p.Field(name, label, "")
	return Ticks{ID: f.ID, Label: label, Edit: f.Edit, Choices: choices, Mistake: f.Mistake}
}

// Choice returns a choice of the part that is posted as soon as an option is chosen, and never keeps one: it shows
// first, which cannot be chosen.
func (p Part) Choice(name, label, first string, options []Option) Field {
	return p.Field(name, label, "").Among(append([]Option{{Text: first, Title: true}}, options...))
}

// Telling returns the field with what its control tells beside what is typed.
func (f Field) Telling(name, value string) Field {
	f.Edit = f.Edit.with(name, value)
	return f
}

// Set returns the action that sets the field to a value.
func (f Field) Set(label, title, value string) Action {
	return Action{ID: f.ID + "-" + value, Label: label, Title: title, Edit: f.Edit.with("value", value)}
}

// Picked reports whether an option is the one that the field has.
func (f Field) Picked(value string) bool { return f.Value == value }

// A Group is fields of one subject, below its name.
type Group struct {
	Name   string
	Holds  string // what it says while it is closed, in one line; "" for a group that is always open
	Open   bool
	Fields []Field
}

// ID returns what the group goes by on its page.
func (g Group) ID() string { return "group-" + strings.ReplaceAll(strings.ToLower(g.Name), " ", "-") }

// A Thumb is a small picture of a view.
type Thumb struct {
	Address, Alt  string
	Aspect        string // of the plate that it lies on: a code of a size, or "wide"
	Width, Height int
	Class         string // further classes of the plate
	Word          string // what stands there until it has come, "" for "rendering …"
}

// ThumbOf returns the small picture of a view in the middle of what shows it.
func (v *View) ThumbOf(w ShownView, width, height int) Thumb {
	return Thumb{
		Address: v.Thumb(w.Code, "", w.MiddleFrame), Aspect: "wide", Width: width, Height: height,
		Alt: fmt.Sprintf("%s, frame %d", w.Name, w.MiddleFrame),
	}
}

// By returns the boxes as those of another command of the part, which is told further values in pairs.
func (t Ticks) By(command string, pairs ...string) Ticks {
	for i := 0; i+1 < len(pairs); i += 2 {
		t.Edit = t.Edit.with(pairs[i], pairs[i+1])
	}
	t.Edit.Address = t.Edit.Address[:strings.LastIndex(t.Edit.Address, "/")+1] + command
	return t
}
