package search

import (
	"slices"
	"strings"
)

// count counts the labels of documents that match the rest of the search, and gives the
// documents that match all of it.
func (s *search) count(matching bitset) (counts map[Label]int, hits bitset) {
	sets := make([]bitset, len(s.Choices))
	for i, c := range s.Choices {
		for _, l := range s.chosen(c) {
			sets[i].or(s.labels[l])
		}
	}
	narrow := func(but string) bitset {
		set := slices.Clone(matching)
		for i, c := range s.Choices {
			switch {
			case c.Not:
				set.without(sets[i])
			case c.Always, c.Facet != but:
				set.and(sets[i])
			}
		}
		return set
	}
	hits = narrow("")
	of := map[string]bitset{}
	for _, c := range s.Choices {
		if of[c.Facet] == nil && !c.Not {
			of[c.Facet] = narrow(c.Facet)
		}
	}
	counts = map[Label]int{}
	add := func(label Label, having bitset) {
		set, is := of[label.Facet]
		if !is {
			set = hits
		}
		if n := set.countBoth(having); n > 0 {
			counts[label] = n
		}
	}
	for l, label := range s.named {
		add(label, s.labels[l])
	}
	for label, having := range s.withParts() {
		add(label, having)
	}
	return counts, hits
}

// withParts gives, for each label that others are under, the documents that have it or
// one of those.
func (s *search) withParts() map[Label]bitset {
	sets := map[Label]bitset{}
	for l, label := range s.named {
		for above, is := s.Above[label]; is; above, is = s.Above[above] {
			set, begun := sets[above]
			if own, is := s.label[above]; !begun && is {
				set = slices.Clone(s.labels[own])
			}
			set.or(s.labels[l])
			sets[above] = set
		}
	}
	return sets
}

// isUnder says whether a label is one of some terms, or under one.
func (s *search) isUnder(l Label, terms []string) bool {
	for is := true; is; l, is = s.Above[l] {
		if slices.Contains(terms, l.Term) {
			return true
		}
	}
	return false
}

// chosen gives the numbers of the labels that a choice is of.
func (s *search) chosen(c Choice) (numbers []int) {
	for n, l := range s.named {
		if l.Facet == c.Facet && (s.isUnder(l, c.Terms) || c.Facet == "owner" && isCalled(s.owners[l.Term], c.Terms)) {
			numbers = append(numbers, n)
		}
	}
	return numbers
}

// isCalled says whether a person has one of some names: words that words of the full name
// begin with.
func isCalled(fullName string, names []string) bool {
	full := Words(fullName)
	return slices.ContainsFunc(names, func(name string) bool {
		words := Words(name)
		return len(words) > 0 && !slices.ContainsFunc(words, func(w string) bool {
			return !slices.ContainsFunc(full, func(f string) bool { return strings.HasPrefix(f, w) })
		})
	})
}
