// Package relay is in which order the steps of a relay run, what flows from one to another, and
// how a finishing pass goes over the sections of a reply. It asks no model.
package relay

import (
	"regexp"
	"slices"
	"strings"

	"goldshelf/core/blocks"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Limits of a relay.
const (
	MostSteps    = 20
	MostSections = 50
	MostSeconds  = 3600 // for one reply
)

// Settings are those that a step asks its model with.
func Settings(s entry.Step) endpoint.Settings {
	return endpoint.Settings{Temperature: s.Temperature, MaxTokens: s.MaxTokens}
}

var named = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

// Needs gives the earlier steps whose replies a step takes, in the order of their names.
func Needs(s entry.Step) []string {
	var all []string
	for _, text := range s.With {
		t, err := fill.Parse(text)
		if err != nil {
			continue // told of elsewhere
		}
		t.Walk(func(n fill.Node) {
			if from, is := n.(*fill.Earlier); is {
				all = append(all, from.Step)
			}
		})
	}
	if s.Over != nil {
		all = append(all, s.Over.Step)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// Order gives the steps in waves, by their places: those of a wave need none of each other's
// replies, and run together. Its error is a [problem.List] with every name that is missing,
// taken or unknown, and with each circle.
func Order(steps []entry.Step) ([][]int, error) {
	var wrong problem.List
	if len(steps) == 0 {
		wrong.Add("/steps", "required", "a relay has at least one step")
	}
	if len(steps) > MostSteps {
		wrong.Add("/steps", "many", "there are %d steps; a relay has 20 at most", len(steps))
	}
	at := map[string]int{}
	for i, s := range steps {
		field := problem.Pointer("steps", i, "name")
		switch other, taken := at[s.Name]; {
		case !named.MatchString(s.Name):
			wrong.Add(field, "name", "%.60q is no name of a step; it has lower-case letters, digits and underscores, begins with a letter and has 40 at most", s.Name)
		case taken:
			wrong.Add(field, "twice", "steps %d and %d are both called %s", other+1, i+1, s.Name)
		default:
			at[s.Name] = i
		}
	}
	needs := make([][]int, len(steps))
	for i, s := range steps {
		for _, name := range Needs(s) {
			from, there := at[name]
			if !there {
				wrong.Add(problem.Pointer("steps", i), "unknown", "%s takes the reply of %.60q, and there is no such step", s.Name, name)
				continue
			}
			needs[i] = append(needs[i], from)
		}
		for _, p := range Settings(s).Problems() {
			p.Field, p.Message = problem.Pointer("steps", i)+p.Field, message.Say("%s: %s", s.Name, p.Message)
			wrong = append(wrong, p)
		}
		if s.Within < 0 || s.Within > MostSeconds {
			wrong.Add(problem.Pointer("steps", i, "within"), "range", "%s is waited for %d seconds; that is 1 to 3,600", s.Name, s.Within)
		}
		if s.Over != nil && strings.TrimSpace(s.Over.Sections) == "" {
			wrong.Add(problem.Pointer("steps", i, "over", "sections"), "required", "say which sections %s goes over: all, first, last, or a heading", s.Name)
		}
	}
	if wrong != nil {
		return nil, wrong
	}
	var waves [][]int
	done := make([]bool, len(steps))
	for left := len(steps); left > 0; {
		var wave []int
		for i := range steps {
			if !done[i] && !slices.ContainsFunc(needs[i], func(n int) bool { return !done[n] }) {
				wave = append(wave, i)
			}
		}
		if wave == nil {
			return nil, circles(steps, needs, done)
		}
		for _, i := range wave {
			done[i] = true
		}
		left -= len(wave)
		waves = append(waves, wave)
	}
	return waves, nil
}

// circles tells of a circle among the steps that are not done, by following what each waits for.
func circles(steps []entry.Step, needs [][]int, done []bool) error {
	first := slices.Index(done, false)
	var path []int
	for i := first; ; {
		if k := slices.Index(path, i); k >= 0 {
			path = path[k:]
			break
		}
		path = append(path, i)
		i = needs[i][slices.IndexFunc(needs[i], func(n int) bool { return !done[n] })]
	}
	names := make([]string, 0, len(path)+1)
	for _, i := range path {
		names = append(names, steps[i].Name)
	}
	names = append(names, steps[path[0]].Name)
	var wrong problem.List
	wrong.Add(problem.Pointer("steps", path[0]), "circle", "the steps go in a circle, each taking the next one's reply: %s", strings.Join(names, ", "))
	return wrong
}

// After gives which steps have to run again once one has: those that take its reply, and so on,
// by their places, without itself.
func After(steps []entry.Step, step int) (again []int) {
	stale := map[string]bool{steps[step].Name: true}
	for changed := true; changed; {
		changed = false
		for i, s := range steps {
			if i != step && !slices.Contains(again, i) && slices.ContainsFunc(Needs(s), func(n string) bool { return stale[n] }) {
				again, changed = append(again, i), true
				stale[s.Name] = true
			}
		}
	}
	slices.Sort(again)
	return again
}

// Section is a part of a reply under a heading of the second level.
type Section struct {
	Title string
	Text  string // below the heading
	line  string // the heading as it is written, with its line end
}

// Reply is a reply, taken apart: what stands before its first heading, and its sections.
type Reply struct {
	Before   string
	Sections []Section
}

// Apart takes a reply apart. Headings within code are none.
func Apart(reply string) (r Reply) {
	for _, l := range blocks.Lines(reply) {
		whole := reply[l.Start:l.End]
		switch n := len(r.Sections); {
		case l.Level == 2:
			r.Sections = append(r.Sections, Section{Title: strings.TrimSpace(l.Title), line: whole})
		case n == 0:
			r.Before += whole
		default:
			r.Sections[n-1].Text += whole
		}
	}
	return r
}

// Chosen gives the places of the sections that a pass goes over: all, first, last, or those
// under a heading. Its error says that there is none, or that there are too many.
func (r Reply) Chosen(sections string) ([]int, error) {
	var chosen []int
	switch n := len(r.Sections); {
	case n == 0:
		return nil, problem.List{{Field: "/over", Code: "sections", Message: message.Say("the reply has no section: no heading of the second level")}}
	case sections == "first":
		chosen = []int{0}
	case sections == "last":
		chosen = []int{n - 1}
	default:
		for i, s := range r.Sections {
			if sections == "all" || strings.EqualFold(s.Title, strings.TrimSpace(sections)) {
				chosen = append(chosen, i)
			}
		}
	}
	var wrong problem.List
	switch {
	case len(chosen) == 0:
		wrong.Add("/over", "sections", "the reply has no section %.80q", sections)
	case len(chosen) > MostSections:
		wrong.Add("/over", "many", "the reply has %d sections; a pass goes over 50 at most", len(chosen))
	}
	return chosen, wrong.Err()
}

// With puts texts in the place of those of sections, by their places, and gives the reply whole.
// Headings stay as they are; one that a text begins with itself is not doubled.
func (r Reply) With(texts map[int]string) string {
	var b strings.Builder
	b.WriteString(r.Before)
	for i, s := range r.Sections {
		b.WriteString(s.line)
		text, changed := texts[i]
		if !changed {
			b.WriteString(s.Text)
			continue
		}
		if again := Apart(text); len(again.Sections) > 0 && strings.TrimSpace(again.Before) == "" && strings.EqualFold(again.Sections[0].Title, s.Title) {
			text = strings.TrimPrefix(text, again.Before+again.Sections[0].line)
		}
		b.WriteString(spaced(s.Text, text))
	}
	return b.String()
}

// spaced gives a text the empty lines around it that another has.
func spaced(like, text string) string {
	inner := strings.Trim(like, "\r\n")
	if inner == "" {
		return strings.Trim(text, "\r\n") + "\n"
	}
	at := strings.Index(like, inner)
	return like[:at] + strings.Trim(text, "\r\n") + like[at+len(inner):]
}
