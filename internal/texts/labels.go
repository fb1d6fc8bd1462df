package texts

import (
	"maps"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

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

// Application gives an application as the labels have it now, or a problem.List where
// they have none of that name. No name is none.
func Application(r store.Reader, name string) (string, error) {
	if name == "" {
		return "", nil
	}
	if wrong := problem.Text("/for", name); wrong != nil {
		return "", wrong
	}
	terms, err := r.Terms()
	if err != nil {
		return "", err
	}
	labels, err := CurrentLabels(r, map[string][]string{"application": {name}}, terms)
	if err != nil {
		return "", err
	}
	name = labels["application"][0]
	if slices.Contains(Known(terms)["application"], name) {
		return name, nil
	}
	var wrong problem.List
	wrong.Add("/for", "label", "there is no application %q; %s", name, orAddOne("the applications are", Known(terms)["application"]))
	return "", wrong
}

// LabellingProblems is LabelProblems of the labels that an entry is to have: it also says
// where there are several terms of a facet of which there may be one.
func LabellingProblems(labels map[string][]string, terms []store.Term) problem.List {
	return append(LabelProblems(labels, Known(terms)), SingleProblems(labels, terms)...)
}

// SingleProblems says where there are several terms of a facet of which an entry has one.
func SingleProblems(labels map[string][]string, terms []store.Term) (found problem.List) {
	seen := map[string]bool{}
	for _, t := range terms {
		if !seen[t.Facet] && t.Single && len(labels[t.Facet]) > 1 {
			found.Add(problem.Pointer("labels", t.Facet), "single", "an entry has one %s, and these are %s; choose one", t.FacetTitle, strings.Join(labels[t.Facet], ", "))
		}
		seen[t.Facet] = true
	}
	return found
}

// RequiredFor gives the facets in which entries of a kind are labelled, besides those that
// the policy names.
func RequiredFor(kind string, terms []store.Term) (facets []string) {
	for _, t := range terms {
		if slices.Contains(t.RequiredFor.V, kind) && !slices.Contains(facets, t.Facet) {
			facets = append(facets, t.Facet)
		}
	}
	return facets
}

// Facet is the facet of a term as JSON shows it, still without terms.
func Facet(t store.Term) api.Facet {
	return api.Facet{Name: t.Facet, Title: t.FacetTitle, Single: t.Single, Open: t.Open, RequiredFor: t.RequiredFor.V, Terms: []api.Term{}}
}
