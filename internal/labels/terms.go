package labels

import (
	"context"
	"errors"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// UndoWithin is how long a change of many labels can be undone.
const UndoWithin = time.Hour

// SetTerm changes a term: its title, the term that it is under, and whether anybody still
// chooses it. What is left out stays. It makes no version of any entry. It returns an
// [entry.Refusal] to all but curators, a [problem.List] if it does not hold, and a
// [work.Missing] where there is no such term.
func (s *Service) SetTerm(ctx context.Context, by work.Caller, facet, term string, req api.TermChange) (api.Facets, error) {
	if err := by.MustCurate("change terms"); err != nil {
		return api.Facets{}, err
	}
	if req.Title != nil {
		if err := titleProblems(*req.Title).Err(); err != nil {
			return api.Facets{}, err
		}
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Facets, error) {
		if err := u.LockLabels(); err != nil {
			return api.Facets{}, err
		}
		terms, err := u.Terms()
		if err != nil {
			return api.Facets{}, err
		}
		t, is := termOf(terms, facet, term)
		if !is {
			return api.Facets{}, work.MissingF("%s has no term %q; see the labels", facet, term)
		}
		before := t
		if req.Title != nil {
			t.Title = *req.Title
		}
		if req.Retired != nil {
			t.Retired = *req.Retired
		}
		if req.Under != nil {
			if err := underProblems(terms, t, *req.Under).Err(); err != nil {
				return api.Facets{}, err
			}
			t.Under = *req.Under
		}
		if t.Title == before.Title && t.Under == before.Under && t.Retired == before.Retired {
			return all(u.Reader)
		}
		if err := u.SetTerm(t); err != nil {
			return api.Facets{}, err
		}
		u.Record("rename-term", 0, 0, map[string]any{"facet": facet, "term": term, "title": t.Title, "under": t.Under, "retired": t.Retired})
		return all(u.Reader)
	})
}

func termOf(terms []store.Term, facet, name string) (store.Term, bool) {
	for _, t := range terms {
		if t.Facet == facet && t.Name == name && name != "" {
			return t, true
		}
	}
	return store.Term{}, false
}

// underProblems says why a term cannot be under another.
func underProblems(terms []store.Term, t store.Term, under string) problem.List {
	var found problem.List
	if under == "" {
		return nil
	}
	for at := under; at != ""; {
		if at == t.Name {
			found.Add("/under", "circle", "%s cannot be under %s, which is %s itself or a part of it", t.Name, under, t.Name)
			return found
		}
		above, is := termOf(terms, t.Facet, at)
		if !is {
			found.Add("/under", "label", "%s has no term %q", t.Facet, at)
			return found
		}
		at = above.Under
	}
	return found
}

// Merge makes a term a part of another: every entry that has it has the other from then
// on, and the policy, the departments of people and entries, followers and channels follow.
// Its name goes on leading to the other one. It is one record, and can be undone for an
// hour. It returns an [entry.Refusal] to all but curators, a [work.Missing] where there is
// no such term, and a [problem.List] if it does not hold.
func (s *Service) Merge(ctx context.Context, by work.Caller, facet, term, into string) (api.LabelsChanged, error) {
	if err := by.MustCurate("merge terms"); err != nil {
		return api.LabelsChanged{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.LabelsChanged, error) {
		if err := u.LockLabels(); err != nil {
			return api.LabelsChanged{}, err
		}
		terms, err := u.Terms()
		if err != nil {
			return api.LabelsChanged{}, err
		}
		if _, is := termOf(terms, facet, term); !is {
			return api.LabelsChanged{}, work.MissingF("%s has no term %q; see the labels", facet, term)
		}
		if err := mergeProblems(u, terms, facet, term, into); err != nil {
			return api.LabelsChanged{}, err
		}
		m, err := u.MergeTerm(facet, term, into)
		if err != nil {
			return api.LabelsChanged{}, err
		}
		policy, err := renameInPolicy(u, by, facet, term, into)
		if err != nil {
			return api.LabelsChanged{}, err
		}
		detail := map[string]any{"facet": facet, "term": term, "into": into, "entries": len(m.Labels)}
		if policy != nil {
			detail["policy"] = policy.Now
		}
		u.Record("merge-terms", 0, 0, detail)
		return changed(u, store.LabelChange{Merged: &m, Policy: policy}, len(m.Labels))
	})
}

func mergeProblems(u *work.Unit, terms []store.Term, facet, term, into string) error {
	var found problem.List
	if term == into {
		found.Add("/into", "same", "%s cannot become a part of itself", term)
		return found
	}
	target, is := termOf(terms, facet, into)
	if !is {
		found.Add("/into", "label", "%s has no term %q", facet, into)
		return found
	}
	for at := target.Under; at != ""; {
		if at == term {
			found.Add("/into", "circle", "%s is under %s; merge it the other way round, or put it elsewhere first", into, term)
			return found
		}
		above, _ := termOf(terms, facet, at)
		at = above.Under
	}
	if facet != "department" {
		return nil
	}
	waiting, err := u.InReviewBy(term)
	if err != nil {
		return err
	}
	if len(waiting) > 0 {
		found.Add("/into", "in-review", "%s waits for an approval from %s; have it approved or returned first", strings.Join(waiting, ", "), term)
	}
	has, err := u.HasStarter(term)
	if err != nil {
		return err
	}
	if has {
		found.Add("/into", "starter", "%s has a starter of its own; delete it first, or give it to %s", term, into)
	}
	return found.Err()
}

// renameInPolicy has the policy say of a term what it said of another, and gives what it
// was; nothing where it said nothing.
func renameInPolicy(u *work.Unit, by work.Caller, facet, from, to string) (*store.PolicyBefore, error) {
	if err := u.LockPolicies(); err != nil {
		return nil, err
	}
	now, err := u.Policy()
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	next, is := now.Policy.V.Renamed(facet, from, to)
	if !is {
		return nil, nil
	}
	number, err := u.AddPolicy(next, by.ID, u.Now())
	return &store.PolicyBefore{Policy: now.Policy.V, Now: number}, err
}

// policyBack puts the policy in force again that a merge has changed, if nobody has set
// another since.
func policyBack(u *work.Unit, by work.Caller, before *store.PolicyBefore) error {
	if before == nil {
		return nil
	}
	if err := u.LockPolicies(); err != nil {
		return err
	}
	now, err := u.Policy()
	if err != nil || now.Number != before.Now {
		return err
	}
	_, err = u.AddPolicy(before.Policy, by.ID, u.Now())
	return err
}

// changed keeps a change so that it can be undone, and says so.
func changed(u *work.Unit, c store.LabelChange, entries int) (api.LabelsChanged, error) {
	id, err := u.AddLabelChange(u.By.ID, c)
	if err != nil {
		return api.LabelsChanged{}, err
	}
	facets, err := all(u.Reader)
	return api.LabelsChanged{Items: facets.Items, Entries: entries, Undo: id}, err
}

// Undo takes back a merge, or a change of the labels of many entries, that the caller made
// in the last hour: for every entry that is still as the change left it. It is one record.
// It returns a [work.Missing] where there is nothing to take back.
func (s *Service) Undo(ctx context.Context, by work.Caller, id string) (api.LabelsChanged, error) {
	if err := by.MustCurate("undo changes of labels"); err != nil {
		return api.LabelsChanged{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.LabelsChanged, error) {
		if err := u.LockLabels(); err != nil {
			return api.LabelsChanged{}, err
		}
		c, err := u.TakeLabelChange(id, by.ID, u.Now().Add(-UndoWithin))
		if err != nil {
			return api.LabelsChanged{}, work.Found(err, work.MissingF("there is nothing to undo by that: it was undone, is older than an hour, or somebody else's"))
		}
		entries, detail := 0, map[string]any{}
		if m := c.Merged; m != nil {
			if entries, err = unmerge(u, *m); err != nil {
				return api.LabelsChanged{}, err
			}
			if err := policyBack(u, by, c.Policy); err != nil {
				return api.LabelsChanged{}, err
			}
			detail["facet"], detail["term"], detail["into"] = m.Facet, m.Term, m.Into
		} else if entries, err = relabelBack(u, c.Entries); err != nil {
			return api.LabelsChanged{}, err
		}
		detail["entries"] = entries
		u.Record("undo-labels", 0, 0, detail)
		facets, err := all(u.Reader)
		return api.LabelsChanged{Items: facets.Items, Entries: entries}, err
	})
}

func unmerge(u *work.Unit, m store.Merged) (int, error) {
	terms, err := u.Terms()
	if err != nil {
		return 0, err
	}
	if _, is := termOf(terms, m.Facet, m.Into); !is {
		return 0, &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("%s is no term any more; what became part of it cannot be taken back", m.Into)}
	}
	if err := u.UnmergeTerm(m); err != nil {
		return 0, work.TakenIf(err, "there is a term %s again; it cannot be taken back", m.Term)
	}
	return len(m.Labels), nil
}

// relabelBack gives entries the labels that they had, where nobody has changed them since,
// nor is about to.
func relabelBack(u *work.Unit, entries []store.LabelsBefore) (int, error) {
	was, slugs := map[string]store.LabelsBefore{}, make([]string, len(entries))
	for i, e := range entries {
		was[e.Slug], slugs[i] = e, e.Slug
	}
	now, err := u.LockLabelled(slugs)
	if err != nil {
		return 0, err
	}
	var back []store.Labels
	for _, e := range now {
		if sameLabels(e.Labels.V, was[e.Slug].After) {
			back = append(back, store.Labels{EntryID: e.ID, Labels: was[e.Slug].Before})
		}
	}
	return len(back), u.SetLabels(back)
}
