// Package check reads an entry as a careful editor would: rules with stable
// ids, each of which points at a place and says what to do there. It changes
// nothing and decides nothing; a policy says which rules count, and the
// library what follows from a stop.
package check

import (
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"goldshelf/core/blocks"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Severity is how much a finding weighs.
type Severity string

// The severities, from the lightest. Off silences a rule.
const (
	Off     Severity = "off"
	Note    Severity = "note"
	Warning Severity = "warning"
	Stop    Severity = "stop"
)

// Severities lists the severities from the lightest.
func Severities() []Severity { return []Severity{Off, Note, Warning, Stop} }

// Input is what is checked, and what is known around it.
type Input struct {
	Slug    string
	Version int
	Owner   string
	entry.Content
	Required []string // facets in which entries of the kind are labelled, besides the policy's
	// Lookup follows includes. Without one the rules that need the library
	// are left out, as when a file is checked with no service at hand.
	Lookup fill.Lookup
	// Missing says of a recommended part of the stack why it cannot be had, or
	// nothing. It goes with Lookup.
	Missing func(slug string, kind entry.Kind) string
}

// Finding is what a rule found.
type Finding struct {
	Rule     string       `json:"rule"`
	Severity Severity     `json:"severity"`
	Field    string       `json:"field"`            // JSON pointer
	Line     int          `json:"line,omitempty"`   // in the field's text, from 1
	Column   int          `json:"column,omitempty"` // in characters, from 1
	Length   int          `json:"length,omitempty"` // characters at fault
	Message  message.Text `json:"message"`
	Fix      *Fix         `json:"fix,omitempty"`
}

// Fix is a change by which a finding goes away: text to put in the place of
// the characters at fault.
type Fix struct {
	Name message.Text `json:"name"` // what the change is called, as on a button
	Text string       `json:"text"`
}

// Rule is one thing that is looked for.
type Rule struct {
	ID       string
	Severity Severity // unless a policy says otherwise
	About    string   // what it looks for and why, for the reference
	Fires    string   // a text, or what about an entry, that makes it speak
	Quiet    string   // the same, put right
	Library  bool     // needs the library around the entry
	find     func(*reading)
}

// Rules gives every rule, in the order in which findings are told.
func Rules() []Rule { return slices.Clone(rules) }

var rules = slices.Concat(basicRules(), blankRules(), includeRules(), anatomyRules(), wordingRules(), secretRules(), sizeRules())

// Run reads an entry by a policy and gives what it finds, stops first and then
// in the order of the text.
func Run(in Input, p Policy) []Finding {
	r := newReading(in, p)
	for _, rule := range rules {
		severity := p.severity(rule)
		if severity == Off || rule.Library && in.Lookup == nil {
			continue
		}
		r.rule, r.severity = rule.ID, severity
		rule.find(r)
	}
	slices.SortStableFunc(r.found, func(a, b Finding) int {
		return cmp.Or(
			slices.Index(Severities(), b.Severity)-slices.Index(Severities(), a.Severity),
			cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
	return r.found
}

// Stops gives the findings that keep an entry from a step: those of rules that
// are a stop, and whose policy names the step.
func Stops(found []Finding, p Policy, step entry.Action) problem.List {
	var stops problem.List
	for _, f := range found {
		if f.Severity == Stop && p.stopsAt(f.Rule, step) {
			stops = append(stops, problem.Problem{Field: f.Field, Code: f.Rule, Message: f.Message, Line: f.Line, Column: f.Column})
		}
	}
	return stops
}

// reading is one run over one entry.
type reading struct {
	Input
	policy   Policy
	text     *fill.Text // nil where the text does not parse
	faults   problem.List
	form     *fill.Form   // nil where it cannot be put together
	joined   problem.List // why
	body     string
	prose    string // the body with marks and fenced passages blanked out, byte for byte
	lower    string // the prose in lower case
	lines    []line
	sections []section
	rule     string
	severity Severity
	ruler    problem.Ruler
	found    []Finding
}

// line is a line of the body.
type line struct {
	start  int // byte offset
	text   string
	fenced bool // between two fences
}

// section is the text under a level-2 heading.
type section struct {
	title      string
	start, end int
}

func newReading(in Input, p Policy) *reading {
	r := &reading{Input: in, policy: p, body: in.Body, ruler: problem.Ruler{Text: in.Body}}
	content := in.Content
	if in.Lookup == nil && in.Questions == nil {
		content.Set = "" // with no library at hand, the text alone is read
	}
	src, err := content.Parsed(in.Slug, in.Version)
	if list, ok := err.(problem.List); ok {
		r.faults = list
	} else {
		r.text = src.Text
		lookup := in.Lookup
		if lookup == nil {
			lookup = func(slug string, n int) (fill.Source, error) {
				return fill.Source{Ref: fill.Ref{Entry: slug, Version: n}, Text: fill.Plain("")}, nil
			}
		}
		form, err := fill.Compile(lookup, src)
		if list, ok := err.(problem.List); ok {
			r.joined = list
		} else {
			r.form = form
		}
	}
	r.read()
	return r
}

// read takes the body apart into lines, sections and prose.
func (r *reading) read() {
	prose := []byte(r.body)
	for _, l := range blocks.Lines(r.body) {
		if l.Fenced {
			blankOut(prose[l.Start:l.End])
		}
		if l.Level == 2 {
			if n := len(r.sections); n > 0 {
				r.sections[n-1].end = l.Start
			}
			r.sections = append(r.sections, section{title: l.Title, start: l.End, end: len(r.body)})
		}
		r.lines = append(r.lines, line{start: l.Start, text: l.Text, fenced: l.Fenced})
	}
	if r.text != nil {
		r.text.Marks(func(start, end int) { blankOut(prose[start:end]) })
	}
	r.prose = string(prose)
	r.lower = strings.ToLower(r.prose)
}

func blankOut(b []byte) {
	for i := range b {
		if b[i] != '\n' {
			b[i] = ' '
		}
	}
}

// say records a finding about a field.
func (r *reading) say(field, format string, args ...any) {
	r.found = append(r.found, Finding{Rule: r.rule, Severity: r.severity, Field: field, Message: message.Say(format, args...)})
}

// sayAt records a finding about bytes of the body.
func (r *reading) sayAt(start, end int, format string, args ...any) *Finding {
	line, column := r.ruler.Place(start)
	r.found = append(r.found, Finding{
		Rule: r.rule, Severity: r.severity, Field: "/body", Line: line, Column: column,
		Length: utf8.RuneCountInString(r.body[start:min(end, len(r.body))]), Message: message.Say(format, args...),
	})
	return &r.found[len(r.found)-1]
}

// pass records problems that were found elsewhere.
func (r *reading) pass(list problem.List) {
	for _, p := range list {
		r.found = append(r.found, Finding{Rule: r.rule, Severity: r.severity, Field: p.Field, Line: p.Line, Column: p.Column, Message: p.Message})
	}
}
