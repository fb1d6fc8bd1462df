package trial

import (
	"fmt"
	"math"
	"strings"
	"unicode/utf8"

	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
)

// TestFill is a named set of values for an entry's blanks.
type TestFill struct {
	Name   string      `json:"name"`
	Values fill.Values `json:"values"`
}

// Bed is an entry's test bed: fills, and what replies to them must hold to.
type Bed struct {
	Fills        []TestFill    `json:"fills"`
	Expectations []Expectation `json:"expectations"`
}

// SetUp is a column of a trial.
type SetUp struct {
	Title    string            `json:"title,omitempty"`   // what sets it apart, if nobody says otherwise
	Version  string            `json:"version,omitempty"` // shelf, open or a number; empty is shelf
	Persona  string            `json:"persona,omitempty"` // a slug, or none
	Style    string            `json:"style,omitempty"`
	Sheets   []string          `json:"sheets,omitempty"`
	For      string            `json:"for,omitempty"`  // an application
	With     string            `json:"with,omitempty"` // a version of another entry, as closing-line@open, in place of the one on the shelf
	Model    string            `json:"model"`
	Settings endpoint.Settings `json:"settings,omitzero"`

	Number int    `json:"number,omitempty"` // of the version that it was, once the trial has begun
	Text   string `json:"text,omitempty"`   // the digest of that
}

// Design is what a trial asks for.
type Design struct {
	Bed
	SetUps  []SetUp `json:"set_ups"`
	OfBed   int     `json:"bed,omitempty"` // the number of the entry's test bed, where that is what it asks for
	Times   int     `json:"times"`         // replies to each fill under each set-up
	Matters float64 `json:"matters"`       // the smallest difference of two pass rates that matters
	Seed    int64   `json:"seed"`          // of the first time; each later one has the next
}

// Limits of a trial.
const (
	MostReplies = 5_000
	MostFills   = 1_000
	MostSetUps  = 8
	MostTimes   = 100

	mostName = 80 // characters
)

// Size is how large the plan is.
func (p Design) Size() Size { return Size{len(p.Fills), len(p.SetUps), len(p.Expectations)} }

// Replies is how many are asked for.
func (p Design) Replies() int { return len(p.Fills) * len(p.SetUps) * p.Times }

// With gives the version of another entry that set-ups have in place of the one on the shelf,
// or nothing.
func (p Design) With() string {
	for _, s := range p.SetUps {
		if s.With != "" {
			return s.With
		}
	}
	return ""
}

// WithDefaults gives a plan with what was left out.
func (p Design) WithDefaults() Design {
	if p.Times == 0 {
		p.Times = 1
	}
	if p.Matters == 0 {
		p.Matters = Matters
	}
	if p.Seed == 0 {
		p.Seed = 1
	}
	p.Fills, p.Expectations, p.SetUps = append([]TestFill{}, p.Fills...), append([]Expectation{}, p.Expectations...), append([]SetUp{}, p.SetUps...)
	for i := range p.SetUps {
		if p.SetUps[i].Version == "" {
			p.SetUps[i].Version = "shelf"
		}
	}
	titles := map[string]int{}
	for i := range p.SetUps {
		s := &p.SetUps[i]
		if strings.TrimSpace(s.Title) == "" {
			s.Title = p.apart(i)
		}
		if titles[s.Title]++; titles[s.Title] > 1 {
			s.Title = fmt.Sprintf("%s, %d", s.Title, titles[s.Title])
		}
	}
	return p
}

// apart names a set-up by what sets it apart from the others.
func (p Design) apart(i int) string {
	s := p.SetUps[i]
	var parts []string
	add := func(of func(SetUp) string, words func(string) string) {
		for _, other := range p.SetUps {
			if of(other) != of(s) {
				parts = append(parts, words(of(s)))
				return
			}
		}
	}
	add(func(s SetUp) string { return s.Model }, func(m string) string { return m })
	add(func(s SetUp) string { return s.Version }, func(v string) string {
		switch v {
		case "open":
			return "as it is written"
		case "shelf":
			return "on the shelf"
		}
		return "version " + v
	})
	for _, part := range []struct {
		name string
		of   func(SetUp) string
	}{{"persona", func(s SetUp) string { return s.Persona }}, {"style", func(s SetUp) string { return s.Style }}, {"application", func(s SetUp) string { return s.For }}, {"sheets", func(s SetUp) string { return strings.Join(s.Sheets, " and ") }}} {
		add(part.of, func(v string) string {
			switch v {
			case "":
				return "the usual " + part.name
			case "none":
				return "no " + part.name
			}
			return v
		})
	}
	add(func(s SetUp) string { return s.With }, func(v string) string {
		if v == "" {
			return "as it is"
		}
		return "with " + v
	})
	add(func(s SetUp) string { return settingsWords(s.Settings) }, func(v string) string { return v })
	if parts == nil {
		return s.Model
	}
	return strings.Join(parts, ", ")
}

func settingsWords(s endpoint.Settings) string {
	var parts []string
	if s.Temperature != nil {
		parts = append(parts, fmt.Sprintf("temperature %g", *s.Temperature))
	}
	if s.MaxTokens > 0 {
		parts = append(parts, fmt.Sprintf("%d tokens at most", s.MaxTokens))
	}
	if parts == nil {
		return "the usual settings"
	}
	return strings.Join(parts, ", ")
}

// Problems says what is wrong with a test bed, all at once. Whether its values fit an entry's
// blanks is not known here.
func (b Bed) Problems() (wrong problem.List) {
	if len(b.Fills) > MostFills {
		wrong.Add("/fills", "many", "there are %d fills; 1,000 are possible", len(b.Fills))
	}
	names := map[string]int{}
	for i, f := range b.Fills {
		at := problem.Pointer("fills", i, "name")
		name := strings.TrimSpace(f.Name)
		wrong = append(wrong, problem.Line(at, "name", f.Name)...)
		switch n := utf8.RuneCountInString(name); {
		case n == 0:
			wrong.Add(at, "required", "fill %d has no name", i+1)
		case n > mostName:
			wrong.Add(at, "length", "the name of fill %d has %d characters; it has 80 at most", i+1, n)
		case names[name] > 0:
			wrong.Add(at, "twice", "fills %d and %d are both called %s", names[name], i+1, name)
		}
		names[name] = i + 1
	}
	return append(wrong, Problems(b.Expectations)...)
}

// Problems says what is wrong with a plan, all at once.
func (p Design) Problems() problem.List {
	wrong := p.Bed.Problems()
	if len(p.Fills) == 0 {
		wrong.Add("/fills", "required", "there is nothing to fill in; give the entry's test bed at least one set of values")
	}
	if n := len(p.SetUps); n < 1 || n > MostSetUps {
		wrong.Add("/set_ups", "count", "there are %d set-ups; a trial has 1 to 8", n)
	}
	for i, s := range p.SetUps {
		at := problem.Pointer("set_ups", i)
		if s.Model == "" {
			wrong.Add(at+"/model", "required", "say which model is asked")
		}
		if s.With != "" && p.With() != s.With {
			wrong.Add(at+"/with", "one", "set-ups have versions of one other entry in place, not both %.80s and %.80s", p.With(), s.With)
		}
		wrong = append(wrong, problem.Line(at+"/title", "title", s.Title)...)
		for _, w := range s.Settings.Problems() {
			w.Field = at + "/settings" + w.Field
			wrong = append(wrong, w)
		}
	}
	if p.Times < 1 || p.Times > MostTimes {
		wrong.Add("/times", "range", "each is asked %d times; 1 to 100 are possible", p.Times)
	}
	if n := p.Replies(); n > MostReplies {
		wrong.Add("", "many", "that is %d replies; a trial has 5,000 at most: take fewer fills, set-ups or times", n)
	}
	if math.IsNaN(p.Matters) || p.Matters <= 0 || p.Matters >= 1 {
		wrong.Add("/matters", "range", "the smallest difference that matters is %g; it is over 0 and under 1", p.Matters)
	}
	return wrong
}
