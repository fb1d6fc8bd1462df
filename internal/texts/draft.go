package texts

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/likeness"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// DraftOf is a version's text as the store keeps it.
func DraftOf(id int64, c entry.Content) store.Draft {
	return store.Draft{ID: id, Content: c, Mentions: Mentions(c), Parts: PartsOf(c), Print: likeness.Read(c.Body).Print()}
}

// PartsOf is a hash of a content's blanks and of what it names: what lies beside its
// text.
func PartsOf(c entry.Content) string {
	if len(c.Blanks) == 0 {
		c.Blanks = nil
	}
	data, err := json.Marshal([]any{c.Blanks, Mentions(c)})
	if err != nil {
		return "" // not known: it is never taken for the same
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Mentions lists what content names: includes, its recommended stack, steps.
func Mentions(c entry.Content) []store.Mention {
	var all []store.Mention
	if src, err := c.Parsed("", 0); err == nil {
		for _, ref := range src.Text.Includes() {
			all = append(all, store.Mention{How: "include", Slug: ref.Entry, Number: ref.Version})
		}
	}
	if c.Persona != "" {
		all = append(all, store.Mention{How: "persona", Slug: c.Persona})
	}
	if c.Style != "" {
		all = append(all, store.Mention{How: "style", Slug: c.Style})
	}
	for _, s := range c.Sheets {
		all = append(all, store.Mention{How: "sheet", Slug: s})
	}
	for _, s := range c.Steps {
		all = append(all, store.Mention{How: "step", Slug: s.Use})
	}
	return all
}

// SameLabels says whether two sets of labels are the same, the order of terms
// included.
func SameLabels(a, b map[string][]string) bool {
	full := func(labels map[string][]string) map[string][]string {
		labels = maps.Clone(labels)
		maps.DeleteFunc(labels, func(_ string, terms []string) bool { return len(terms) == 0 })
		return labels
	}
	return maps.EqualFunc(full(a), full(b), slices.Equal[[]string])
}

// Known gives the terms of each facet by name.
func Known(terms []store.Term) map[string][]string {
	known := map[string][]string{}
	for _, t := range terms {
		if _, is := known[t.Facet]; !is {
			known[t.Facet] = []string{}
		}
		if t.Name != "" {
			known[t.Facet] = append(known[t.Facet], t.Name)
		}
	}
	return known
}

// CurrentLabels gives labels with what became part of another term called by its name
// now: old links and files go on meaning what they meant.
func CurrentLabels(r store.Reader, labels map[string][]string, terms []store.Term) (map[string][]string, error) {
	known := Known(terms)
	unknown := false
	for facet, names := range labels {
		unknown = unknown || slices.ContainsFunc(names, func(t string) bool { return !slices.Contains(known[facet], t) })
	}
	if !unknown {
		return labels, nil
	}
	past, err := r.PastTerms()
	if err != nil || len(past) == 0 {
		return labels, err
	}
	out := map[string][]string{}
	for facet, names := range labels {
		out[facet] = []string{}
		for _, name := range names {
			at := slices.IndexFunc(past, func(p store.PastTerm) bool { return p.Facet == facet && p.Name == name })
			if at >= 0 && !slices.Contains(known[facet], name) {
				name = past[at].Now
			}
			if !slices.Contains(out[facet], name) {
				out[facet] = append(out[facet], name)
			}
		}
	}
	return out, nil
}

// LabelProblems says which facets and terms are not known.
func LabelProblems(labels, known map[string][]string) problem.List {
	var found problem.List
	for _, facet := range slices.Sorted(maps.Keys(labels)) {
		terms, ok := known[facet]
		if !ok {
			found.Add(problem.Pointer("labels", facet), "label", "there is no facet %q; %s", facet, orAddOne("the facets are", slices.Sorted(maps.Keys(known))))
			continue
		}
		for i, t := range labels[facet] {
			if !slices.Contains(terms, t) {
				found.Add(problem.Pointer("labels", facet, i), "label", "%s has no term %q; %s", facet, t, orAddOne("it has", terms))
			}
		}
	}
	return found
}

func orAddOne(are string, names []string) string {
	if len(names) == 0 {
		return "a curator adds the first one under Settings, or with goldshelf labels"
	}
	return are + " " + strings.Join(names, ", ")
}

// DepartmentProblems says whether there is no department of a name. No name is none.
func DepartmentProblems(field, name string, terms []store.Term) problem.List {
	if name == "" || slices.Contains(Known(terms)["department"], name) {
		return nil
	}
	var wrong problem.List
	wrong.Add(field, "label", "there is no department %q; %s", name, orAddOne("the departments are", Known(terms)["department"]))
	return wrong
}
