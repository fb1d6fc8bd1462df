// Package merge puts together what two have made of one text, each for themselves: line by
// line, blank by blank and field by field. It decides nothing where both have changed the
// same.
package merge

import (
	"reflect"
	"slices"
	"strings"

	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
)

// Outcome is what became of a part.
type Outcome string

// What can become of a part: it is as it was, one or the other has changed it, both have in
// the same way, or both have in different ways.
const (
	Same     Outcome = "same"
	Ours     Outcome = "ours"
	Theirs   Outcome = "theirs"
	Alike    Outcome = "alike"
	Conflict Outcome = "conflict"
)

// Side is whose part is taken.
type Side string

// The sides. Both is theirs below ours, of lines alone.
const (
	TakeOurs   Side = "ours"
	TakeTheirs Side = "theirs"
	TakeBoth   Side = "both"
)

// Hunk is a stretch of lines, whole, as it stands in the text that both came of and in each.
// Every hunk's lines one after the other are the text.
type Hunk struct {
	Outcome Outcome `json:"outcome"`
	Base    string  `json:"base"`
	Ours    string  `json:"ours"`
	Theirs  string  `json:"theirs"`
}

// Lines sets two texts that came of a third beside each other (three-way merge by lines, as
// S. Khanna, K. Kunal, B. C. Pierce, "A Formal Investigation of Diff3", 2007, have it).
func Lines(base, ours, theirs string) []Hunk {
	b, o, t := lines(base), lines(ours), lines(theirs)
	inOurs, inTheirs := matches(b, o), matches(b, t)
	var hunks []Hunk
	i, j, k := 0, 0, 0
	for i < len(b) || j < len(o) || k < len(t) {
		n := i
		for n < len(b) && inOurs[n] == j+n-i && inTheirs[n] == k+n-i {
			n++
		}
		if n > i {
			same := strings.Join(b[i:n], "")
			hunks = append(hunks, Hunk{Same, same, same, same})
			i, j, k = n, j+n-i, k+n-i
			continue
		}
		for n < len(b) && (inOurs[n] < j || inTheirs[n] < k) {
			n++
		}
		jEnd, kEnd := len(o), len(t)
		if n < len(b) {
			jEnd, kEnd = inOurs[n], inTheirs[n]
		}
		h := Hunk{Base: strings.Join(b[i:n], ""), Ours: strings.Join(o[j:jEnd], ""), Theirs: strings.Join(t[k:kEnd], "")}
		h.Outcome = outcome(h.Base, h.Ours, h.Theirs)
		hunks = append(hunks, h)
		i, j, k = n, jEnd, kEnd
	}
	return hunks
}

// lines takes a text apart so that its lines joined are the text.
func lines(text string) []string {
	if text == "" {
		return nil
	}
	all := strings.SplitAfter(text, "\n")
	if all[len(all)-1] == "" {
		all = all[:len(all)-1]
	}
	return all
}

// matches gives where each line of a text stands in another, or -1.
func matches(base, other []string) []int {
	at := make([]int, len(base))
	for i := range at {
		at[i] = -1
	}
	for _, s := range change.Common(base, other) {
		for n := range s.N {
			at[s.Old+n] = s.New + n
		}
	}
	return at
}

func outcome[T any](base, ours, theirs T) Outcome {
	same := func(a, b T) bool { return reflect.DeepEqual(a, b) }
	switch {
	case same(ours, theirs) && same(base, ours):
		return Same
	case same(ours, theirs):
		return Alike
	case same(base, ours):
		return Theirs
	case same(base, theirs):
		return Ours
	}
	return Conflict
}

// Join gives the text of hunks with, for each by its place, whose lines are taken. What one
// alone has changed is theirs if it is theirs, and ours else; a conflict that nothing is
// said of is a problem.
func Join(hunks []Hunk, take map[int]Side) (string, error) {
	var b strings.Builder
	var wrong problem.List
	for i, h := range hunks {
		side, said := take[i]
		switch {
		case said:
		case h.Outcome == Conflict:
			wrong.Add(problem.Pointer("hunks", i), "conflict", "both have changed this; say whose is taken: ours, theirs or both")
		case h.Outcome == Theirs:
			side = TakeTheirs
		default:
			side = TakeOurs
		}
		switch side {
		case TakeTheirs:
			b.WriteString(h.Theirs)
		case TakeBoth:
			b.WriteString(closed(h.Ours, h.Theirs))
		default:
			b.WriteString(h.Ours)
		}
	}
	for i := range take {
		if i < 0 || i >= len(hunks) {
			wrong.Add(problem.Pointer("hunks", i), "missing", "there is no hunk %d; there are %d, from 0", i, len(hunks))
		}
	}
	return b.String(), wrong.Err()
}

// closed puts one stretch of lines below another.
func closed(above, below string) string {
	if above != "" && below != "" && !strings.HasSuffix(above, "\n") {
		above += "\n"
	}
	return above + below
}

// Part is a blank or a field, as each has it; nil where one has none of the name.
type Part struct {
	Name    string  `json:"name"`
	Outcome Outcome `json:"outcome"`
	Base    any     `json:"base"`
	Ours    any     `json:"ours"`
	Theirs  any     `json:"theirs"`
}

// Merge is what two have made of an entry.
type Merge struct {
	Hunks  []Hunk `json:"hunks"`
	Blanks []Part `json:"blanks"` // those that anybody has changed
	Fields []Part `json:"fields"` // of persona, style and sheets those that anybody has changed
}

// Contents sets two contents that came of a third beside each other. Titles, summaries and
// labels are each one's own.
func Contents(base, ours, theirs entry.Content) Merge {
	m := Merge{Hunks: Lines(base.Body, ours.Body, theirs.Body), Blanks: []Part{}, Fields: []Part{}}
	for _, name := range names(base.Blanks, ours.Blanks, theirs.Blanks) {
		p := Part{Name: name, Base: blank(base.Blanks, name), Ours: blank(ours.Blanks, name), Theirs: blank(theirs.Blanks, name)}
		if p.Outcome = outcome(p.Base, p.Ours, p.Theirs); p.Outcome != Same {
			m.Blanks = append(m.Blanks, p)
		}
	}
	for _, f := range fields {
		p := Part{Name: f.name, Base: f.of(&base), Ours: f.of(&ours), Theirs: f.of(&theirs)}
		if p.Outcome = outcome(p.Base, p.Ours, p.Theirs); p.Outcome != Same {
			m.Fields = append(m.Fields, p)
		}
	}
	return m
}

// Moved says whether the other has changed anything that ours has not.
func (m Merge) Moved() bool {
	moved := func(o Outcome) bool { return o == Theirs || o == Conflict }
	part := func(p Part) bool { return moved(p.Outcome) }
	return slices.ContainsFunc(m.Hunks, func(h Hunk) bool { return moved(h.Outcome) }) || slices.ContainsFunc(m.Blanks, part) || slices.ContainsFunc(m.Fields, part)
}

var fields = []struct {
	name string
	of   func(*entry.Content) any
	set  func(*entry.Content, *entry.Content)
}{
	{"persona", func(c *entry.Content) any { return c.Persona }, func(c, from *entry.Content) { c.Persona = from.Persona }},
	{"style", func(c *entry.Content) any { return c.Style }, func(c, from *entry.Content) { c.Style = from.Style }},
	{"sheets", func(c *entry.Content) any { return append([]string{}, c.Sheets...) }, func(c, from *entry.Content) { c.Sheets = from.Sheets }},
	{"sheet_of", func(c *entry.Content) any { return append([]string{}, c.SheetOf...) }, func(c, from *entry.Content) { c.SheetOf = from.SheetOf }},
	// Answers go with the set that they answer.
	{"answers", func(c *entry.Content) any { return answering{c.Set, c.Answers} }, func(c, from *entry.Content) {
		c.Set, c.Answers, c.Questions = from.Set, from.Answers, from.Questions
	}},
}

type answering struct {
	Set     string        `json:"set"`
	Answers sheet.Answers `json:"answers"`
}

// names gives the names of blanks in the order of ours, and then of theirs.
func names(base, ours, theirs []fill.Blank) (all []string) {
	for _, list := range [][]fill.Blank{ours, theirs, base} {
		for _, b := range list {
			if !slices.Contains(all, b.Name) {
				all = append(all, b.Name)
			}
		}
	}
	return all
}

func blank(all []fill.Blank, name string) any {
	at := slices.IndexFunc(all, func(b fill.Blank) bool { return b.Name == name })
	if at < 0 {
		return nil
	}
	return all[at]
}

// Choices say of parts whose is taken: of hunks by their place, of blanks and fields by
// name. What is not named is as [Join] has it.
type Choices struct {
	Hunks  map[int]Side    `json:"hunks,omitempty"`
	Blanks map[string]Side `json:"blanks,omitempty"`
	Fields map[string]Side `json:"fields,omitempty"`
}

// Take gives ours with what is taken over of theirs. Its error is a [problem.List]: every
// conflict that nothing is said of, and every choice of what is not there.
func Take(base, ours, theirs entry.Content, c Choices) (entry.Content, error) {
	m := Contents(base, ours, theirs)
	var wrong problem.List
	body, err := Join(m.Hunks, c.Hunks)
	if list, is := err.(problem.List); is {
		wrong = append(wrong, list...)
	}
	out := ours
	out.Body = body
	out.Blanks = []fill.Blank{}
	for _, name := range names(base.Blanks, ours.Blanks, theirs.Blanks) {
		from := ours.Blanks
		at := slices.IndexFunc(m.Blanks, func(p Part) bool { return p.Name == name })
		if at >= 0 && sideOf(m.Blanks[at], "blanks", c.Blanks, &wrong) == TakeTheirs {
			from = theirs.Blanks
		}
		if b, is := blank(from, name).(fill.Blank); is {
			out.Blanks = append(out.Blanks, b)
		}
	}
	for _, f := range fields {
		at := slices.IndexFunc(m.Fields, func(p Part) bool { return p.Name == f.name })
		if at >= 0 && sideOf(m.Fields[at], "fields", c.Fields, &wrong) == TakeTheirs {
			f.set(&out, &theirs)
		}
	}
	return out, wrong.Err()
}

func sideOf(p Part, of string, take map[string]Side, wrong *problem.List) Side {
	side, said := take[p.Name]
	switch {
	case said:
		return side
	case p.Outcome == Conflict:
		wrong.Add(problem.Pointer(of, p.Name), "conflict", "both have changed %s; say whose is taken: ours or theirs", p.Name)
	case p.Outcome == Theirs:
		return TakeTheirs
	}
	return TakeOurs
}

// Change is what was put in the place of what, in a text.
type Change struct {
	Before string `json:"before"`
	After  string `json:"after"`
}

// Changes gives what was changed in a text, stretch by stretch.
func Changes(base, ours string) (all []Change) {
	for _, h := range Lines(base, ours, base) {
		if h.Outcome == Ours {
			all = append(all, Change{h.Base, h.Ours})
		}
	}
	return all
}
