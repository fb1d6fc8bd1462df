package labels

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// SetFacet changes what is named of a facet, and gives all facets. It makes no version of
// any entry. It returns a [work.Missing] where there is no such facet, and a [problem.List]
// where entries have several terms of one that is to be single.
func (s *Service) SetFacet(ctx context.Context, by work.Caller, facet string, in api.FacetChange) (api.Facets, error) {
	if err := by.MustCurate("change facets"); err != nil {
		return api.Facets{}, err
	}
	if err := facetProblems(in).Err(); err != nil {
		return api.Facets{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Facets, error) {
		if err := u.LockLabels(); err != nil {
			return api.Facets{}, err
		}
		terms, err := u.Terms()
		if err != nil {
			return api.Facets{}, err
		}
		at := slices.IndexFunc(terms, func(t store.Term) bool { return t.Facet == facet })
		if at < 0 {
			return api.Facets{}, work.MissingF("there is no facet %q; see the labels", facet)
		}
		f := terms[at].FacetRules
		title := terms[at].FacetTitle
		if in.Title != nil {
			title = *in.Title
		}
		if in.Single != nil && *in.Single && !f.Single {
			if err := noneHasSeveral(u, facet); err != nil {
				return api.Facets{}, err
			}
		}
		set(&f.Single, in.Single)
		set(&f.Open, in.Open)
		set(&f.RequiredFor.V, in.RequiredFor)
		if err := u.SetFacet(facet, title, f); err != nil {
			return api.Facets{}, err
		}
		u.Record("set-facet", 0, 0, map[string]any{"facet": facet, "title": title, "single": f.Single, "required_for": f.RequiredFor.V, "open": f.Open})
		return all(u.Reader)
	})
}

func set[T any](what *T, to *T) {
	if to != nil {
		*what = *to
	}
}

func noneHasSeveral(u *work.Unit, facet string) error {
	n, some, err := u.WithSeveral(facet)
	if err != nil || n == 0 {
		return err
	}
	return work.Wrong("/single", "several", "%d entries have several terms of %s, such as %s; label them with one each first", n, facet, strings.Join(some, ", "))
}

func facetProblems(in api.FacetChange) (found problem.List) {
	if in.Title != nil {
		found = titleProblems(*in.Title)
	}
	if in.RequiredFor != nil {
		for i, kind := range *in.RequiredFor {
			if !slices.Contains(entry.Kinds(), entry.Kind(kind)) {
				found.Add(problem.Pointer("required_for", i), "kind", "there is no kind %q; the kinds are %s", kind, fmt.Sprint(entry.Kinds()))
			}
		}
	}
	return found
}

// mayAdd says whether somebody may add a label: curators any, and contributors terms of a
// facet that is open.
func mayAdd(by work.Caller, req api.NewLabel, terms []store.Term) error {
	open := slices.ContainsFunc(terms, func(t store.Term) bool { return t.Facet == req.Facet && t.Open })
	if req.Term != "" && open && by.Role.Includes(entry.Contributor) {
		return nil
	}
	return by.MustCurate("add labels")
}
