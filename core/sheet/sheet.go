// Package sheet is what a fact sheet answers: question sets, the answers to one, and the
// forms in which they are delivered and read. It fills no text and stores nothing.
package sheet

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Limits of a question set.
const (
	MostQuestions = 200
	mostTitle     = 120    // characters
	mostHelp      = 1000   // characters of a question's help and of its example
	MostAnswers   = 64_000 // bytes of all answers of a sheet together
)

// Set is one version of a question set: the questions that sheets of one sort answer.
type Set struct {
	Name    string  `json:"name"`    // a slug
	Version int     `json:"version"` // from 1; 0 for a set that is not saved
	Title   string  `json:"title"`
	Groups  []Group `json:"groups"`
}

// Group is questions that belong together, under a heading.
type Group struct {
	Title     string     `json:"title"`
	Questions []Question `json:"questions"`
}

// Question is one thing that is asked. Its types are those of blanks.
type Question struct {
	Name     string    `json:"name"`
	Ask      string    `json:"ask,omitempty"`
	Help     string    `json:"help,omitempty"`
	Example  string    `json:"example,omitempty"`
	Type     fill.Type `json:"type,omitempty"`
	Options  []string  `json:"options,omitempty"`
	Optional bool      `json:"optional,omitempty"`
	Min      *float64  `json:"min,omitempty"`
	Max      *float64  `json:"max,omitempty"`
}

// Answers are what a sheet says, by the questions' names. A question without an answer is
// not in them.
type Answers map[string]fill.Value

// Blank is the question as the blank that takes its answer.
func (q Question) Blank() fill.Blank {
	return fill.Blank{Name: q.Name, Ask: q.Ask, Hint: q.Help, Type: q.Type, Options: q.Options, Optional: q.Optional, Min: q.Min, Max: q.Max}
}

// Label is what the question is called before its answer: its name as words.
func (q Question) Label() string {
	b := fill.Blank{Name: q.Name}
	return b.Question()
}

// Ref names the set with its version, as a sheet's header does: audience@2.
func (s Set) Ref() string { return s.Name + "@" + strconv.Itoa(s.Version) }

// ParseRef takes apart what [Set.Ref] gives.
func ParseRef(ref string) (name string, version int, ok bool) {
	name, digits, pinned := strings.Cut(ref, "@")
	version, err := strconv.Atoi(digits)
	ok = pinned && err == nil && version >= 1 && version <= 1<<30 && fill.IsSlug(name) && strconv.Itoa(version) == digits
	return name, version, ok
}

// Questions gives the questions of all groups, in order.
func (s Set) Questions() []Question {
	var all []Question
	for _, g := range s.Groups {
		all = append(all, g.Questions...)
	}
	return all
}

// Question gives the question of a name.
func (s Set) Question(name string) (Question, bool) {
	for _, g := range s.Groups {
		for _, q := range g.Questions {
			if q.Name == name {
				return q, true
			}
		}
	}
	return Question{}, false
}

// Problems says what keeps a set from being saved, all at once.
func (s Set) Problems() problem.List {
	var found problem.List
	if !fill.IsSlug(s.Name) {
		found.Add("/name", "slug", "%.80q is no name for a set; it has 2 to 64 lower-case letters a to z, digits and hyphens", s.Name)
	}
	found = append(found, titled("/title", "the set's title", s.Title)...)
	if len(s.Questions()) == 0 {
		found.Add("/groups", "missing", "the set has no question; add one")
	}
	if n := len(s.Questions()); n > MostQuestions {
		found.Add("/groups", "size", "the set has %d questions; it has at most %d", n, MostQuestions)
		return found
	}
	first := map[string]string{}
	for i, g := range s.Groups {
		at := problem.Pointer("groups", i)
		found = append(found, titled(at+"/title", "the group's title", g.Title)...)
		if len(g.Questions) == 0 {
			found.Add(at+"/questions", "missing", "the group %q has no question; add one, or delete the group", g.Title)
		}
		for j, q := range g.Questions {
			here := at + problem.Pointer("questions", j)
			found = append(found, q.problems(here)...)
			if before, twice := first[q.Name]; twice {
				found.Add(here+"/name", "name", "two questions are called %s, the other in %q; give one another name", q.Name, before)
			} else {
				first[q.Name] = g.Title
			}
		}
	}
	return found
}

func (q Question) problems(at string) problem.List {
	b := q.Blank()
	found := b.Problems(at)
	if !fill.IsName(q.Name) && len(found) == 0 {
		found.Add(at+"/name", "name", "%.80q cannot be a question's name", q.Name)
	}
	found = append(found, problem.Line(at+"/ask", "the question", q.Ask)...)
	for _, f := range []struct{ field, what, text string }{{"/ask", "question", q.Ask}, {"/help", "help", q.Help}, {"/example", "example", q.Example}} {
		if f.field != "/ask" {
			found = append(found, problem.Text(at+f.field, f.text)...)
		}
		if n := utf8.RuneCountInString(f.text); n > mostHelp {
			found.Add(at+f.field, "size", "the %s has %d characters; it has at most %d", message.Plain(f.what), n, mostHelp)
		}
	}
	for i, o := range q.Options {
		found = append(found, problem.Line(at+problem.Pointer("options", i), "the option", o)...)
	}
	return found
}

func titled(field, what, text string) problem.List {
	found := problem.Line(field, what, text)
	switch n := utf8.RuneCountInString(text); {
	case strings.TrimSpace(text) == "":
		found.Add(field, "missing", "%s is missing", message.Plain(what))
	case n > mostTitle:
		found.Add(field, "size", "%s has %d characters; it has at most %d", message.Plain(what), n, mostTitle)
	}
	return found
}

// Hold holds answers against the set. It gives them as they are put in place, without
// those that are empty, and everything that does not hold: answers that the set does not
// ask for, of a wrong type, outside options and limits. That one is missing is no problem:
// see [Set.Missing].
func (s Set) Hold(answers Answers) (Answers, problem.List) {
	var found problem.List
	held := Answers{}
	size := 0
	asked := map[string]bool{}
	for _, q := range s.Questions() {
		asked[q.Name] = true
		v, given := answers[q.Name]
		if !given || v.IsEmpty() {
			continue
		}
		b := q.Blank()
		b.Name = q.Label() // as people read it
		v, bad := b.Accept(problem.Pointer("answers", q.Name), v)
		found = append(found, bad...)
		size += len(v.String())
		held[q.Name] = v
	}
	for _, name := range sortedNames(answers) {
		if !asked[name] {
			found.Add(problem.Pointer("answers", name), "unknown", "%s asks no question %.60s; move its answer into the text, or take it out", s.Ref(), name)
		}
	}
	if size > MostAnswers {
		found.Add("/answers", "size", "the answers have %d bytes; together they have at most %d", size, MostAnswers)
	}
	return held, found
}

// Missing gives the questions without an answer, in order: those that must have one, and
// those that may do without.
func (s Set) Missing(answers Answers) (wanted, optional []Question) {
	for _, q := range s.Questions() {
		if v, given := answers[q.Name]; given && !v.IsEmpty() {
			continue
		}
		if q.Optional {
			optional = append(optional, q)
		} else {
			wanted = append(wanted, q)
		}
	}
	return wanted, optional
}

// Moved says how a set has changed from an older version to a newer one, for a sheet that
// answers the older.
type Moved struct {
	Added   []Question `json:"added"`   // questions that the older did not ask
	Removed []Question `json:"removed"` // questions that the newer does not ask any more
	Changed []Question `json:"changed"` // as the newer asks them: of another type, or with other options or limits
}

// Since compares the set with an older version of it.
func (s Set) Since(older Set) Moved {
	m := Moved{Added: []Question{}, Removed: []Question{}, Changed: []Question{}}
	for _, q := range s.Questions() {
		was, there := older.Question(q.Name)
		switch {
		case !there:
			m.Added = append(m.Added, q)
		case !q.takesAs(was):
			m.Changed = append(m.Changed, q)
		}
	}
	for _, q := range older.Questions() {
		if _, there := s.Question(q.Name); !there {
			m.Removed = append(m.Removed, q)
		}
	}
	return m
}

// takesAs says whether two questions take the same answers.
func (q Question) takesAs(o Question) bool {
	a, b := q.Blank(), o.Blank()
	return a.Kind() == b.Kind() && slices.Equal(q.Options, o.Options) && limit(q.Min) == limit(o.Min) && limit(q.Max) == limit(o.Max)
}

// Same says whether groups ask the same.
func Same(a, b []Group) bool {
	one, err := json.Marshal(a)
	if err != nil {
		return false
	}
	other, err := json.Marshal(b)
	return err == nil && string(one) == string(other)
}

func limit(n *float64) string {
	if n == nil {
		return ""
	}
	return fill.Decimal(*n)
}

// notAnswered stands where an answer is wanting.
const notAnswered = "(not answered)"

// Markdown writes answers as text: a heading a group, a line an answer. What is not
// answered is marked, and what may do without an answer and has none is left out. A text
// of several lines stands indented below its label.
func (s Set) Markdown(answers Answers, language string) string {
	var b strings.Builder
	for _, g := range s.Groups {
		var lines strings.Builder
		for _, q := range g.Questions {
			v, given := answers[q.Name]
			given = given && !v.IsEmpty()
			switch {
			case given:
				fmt.Fprintf(&lines, "- %s: %s\n", q.Label(), indented(fill.Listed(v, language)))
			case !q.Optional:
				fmt.Fprintf(&lines, "- %s: %s\n", q.Label(), notAnswered)
			}
		}
		if lines.Len() == 0 {
			continue
		}
		if b.Len() > 0 {
			b.WriteByte('\n')
		}
		b.WriteString("## " + g.Title + "\n" + lines.String())
	}
	return b.String()
}

func indented(text string) string {
	text = strings.TrimRight(text, "\r\n")
	if !strings.Contains(text, "\n") {
		return text
	}
	return "\n  " + strings.ReplaceAll(text, "\n", "\n  ")
}

func sortedNames(answers Answers) []string {
	names := make([]string, 0, len(answers))
	for name := range answers {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
