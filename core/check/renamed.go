package check

import (
	"maps"
	"slices"

	"goldshelf/core/entry"
)

// Renamed gives the policy that says of a term what this one says of another, which
// became part of it; and whether it is another policy at all. What is said of both stays
// as it is said of the one that stays.
func (p Policy) Renamed(facet, from, to string) (Policy, bool) {
	changed := false
	term := func(names []string) []string {
		if !slices.Contains(names, from) {
			return names
		}
		changed = true
		var out []string
		for _, n := range names {
			if n == from {
				n = to
			}
			if !slices.Contains(out, n) {
				out = append(out, n)
			}
		}
		return out
	}
	rules := slices.Clone(p.Review.Rules)
	for i, rule := range rules {
		rule.Labels = maps.Clone(rule.Labels)
		if names, is := rule.Labels[facet]; is {
			rule.Labels[facet] = term(names)
		}
		if facet == "department" {
			rule.Departments = term(rule.Departments)
			rule.From = slices.Clone(rule.From)
			for k := range rule.From {
				if rule.From[k].Department == from {
					rule.From[k].Department, changed = to, true
				}
			}
			rule.From = unique(rule.From)
		}
		rules[i] = rule
	}
	p.Review.Rules = rules
	switch asked, is := p.Review.Ask[from]; {
	case facet == "department" && is:
		p.Review.Ask, changed = maps.Clone(p.Review.Ask), true
		delete(p.Review.Ask, from)
		for _, name := range asked {
			if !slices.Contains(p.Review.Ask[to], name) {
				p.Review.Ask[to] = append(slices.Clip(p.Review.Ask[to]), name)
			}
		}
	}
	if model, is := p.Models[from]; facet == "model" && is {
		p.Models, changed = maps.Clone(p.Models), true
		delete(p.Models, from)
		if _, is := p.Models[to]; !is {
			p.Models[to] = model
		}
	}
	return p, changed
}

func unique(from []entry.From) (out []entry.From) {
	for _, f := range from {
		if !slices.Contains(out, f) {
			out = append(out, f)
		}
	}
	return out
}
