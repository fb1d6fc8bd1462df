package check

import (
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
)

// Policy is what the curators of a library have decided about its checks and
// reviews. The zero Policy takes every rule as it comes.
type Policy struct {
	Rules    map[string]Setting `json:"rules,omitempty"`    // by rule id; what is not there is as it comes
	Required []string           `json:"required,omitempty"` // facets that every entry is labelled in
	Avoid    []string           `json:"avoid,omitempty"`    // words and phrases the house does not use
	Models   map[string]Model   `json:"models,omitempty"`   // by term of the facet model
	Grade    float64            `json:"grade,omitempty"`    // the highest reading grade; 0 is 12
	Tokens   int                `json:"tokens,omitempty"`   // the most tokens where the model says nothing; 0 is 4000

	Review entry.Reviewing `json:"review,omitzero"`
}

// Setting is what a policy says of one rule.
type Setting struct {
	Severity Severity       `json:"severity"`
	Stops    []entry.Action `json:"stops,omitempty"` // submit, publish; where a stop stops. Empty is both
}

// Model is what a policy knows of a model.
type Model struct {
	Tokens  int  `json:"tokens,omitempty"`  // the most tokens that a prompt may take
	Retired bool `json:"retired,omitempty"` // not to be used any more
}

// Problems says what is wrong with a policy.
func (p Policy) Problems(facets []string) problem.List {
	var found problem.List
	for _, id := range sortedKeys(p.Rules) {
		at := problem.Pointer("rules", id)
		if !slices.ContainsFunc(Rules(), func(r Rule) bool { return r.ID == id }) {
			found.Add(at, "rule", "there is no rule %q; the reference of checks lists them", id)
		}
		if s := p.Rules[id].Severity; !slices.Contains(Severities(), s) {
			found.Add(at+"/severity", "severity", "the severity of %s is %q; it is off, note, warning or stop", id, s)
		}
		for i, step := range p.Rules[id].Stops {
			if step != entry.Submit && step != entry.Publish {
				found.Add(at+problem.Pointer("stops", i), "step", "%s cannot stop %q; it stops submit or publish", id, step)
			}
		}
	}
	for i, f := range p.Required {
		if !slices.Contains(facets, f) {
			found.Add(problem.Pointer("required", i), "label", "there is no facet %q; the facets are %s", f, strings.Join(facets, ", "))
		}
	}
	for i, w := range p.Avoid {
		if strings.TrimSpace(w) == "" {
			found.Add(problem.Pointer("avoid", i), "missing", "a word to avoid is empty; write it or take it out")
		}
	}
	if p.Grade < 0 || p.Grade > 30 {
		found.Add("/grade", "range", "the reading grade is %g; it is 1 to 30", p.Grade)
	}
	if p.Tokens < 0 {
		found.Add("/tokens", "range", "the most tokens are %d; they are at least 1", p.Tokens)
	}
	return found
}

func (p Policy) severity(r Rule) Severity {
	if s, ok := p.Rules[r.ID]; ok {
		return s.Severity
	}
	return r.Severity
}

func (p Policy) stopsAt(rule string, step entry.Action) bool {
	stops := p.Rules[rule].Stops
	return len(stops) == 0 || slices.Contains(stops, step)
}

func (p Policy) grade() float64 {
	if p.Grade == 0 {
		return 12
	}
	return p.Grade
}

func (p Policy) tokens() int {
	if p.Tokens == 0 {
		return 4000
	}
	return p.Tokens
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}
