package entry

import "goldshelf/core/problem"

// NoPart is what drops a recommended part of a stack.
const NoPart = "none"

// Part is a part of a stack that is asked for: its slug, with @ and a number if
// one version is meant, and the kind that it must have.
type Part struct {
	Field string // where it was asked for, or recommended
	Slug  string
	Kind  Kind
}

// Stack gives what goes before an entry's own text, in the fixed order of a
// stack: persona, style, sheets. What is asked for takes the place of what the
// entry recommends; NoPart drops it.
func (c Content) Stack(persona, style string, sheets []string) []Part {
	if len(sheets) == 0 {
		sheets = c.Sheets
	}
	var parts []Part
	add := func(field, asked, recommended string, kind Kind) {
		if asked == "" {
			asked = recommended
		}
		if asked != "" && asked != NoPart {
			parts = append(parts, Part{field, asked, kind})
		}
	}
	add("/persona", persona, c.Persona, Persona)
	add("/style", style, c.Style, Style)
	for i, s := range sheets {
		add(problem.Pointer("sheets", i), s, "", Sheet)
	}
	return parts
}
