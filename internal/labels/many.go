package labels

import (
	"context"
	"maps"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// mostEntries is how many entries are labelled at once at most.
const mostEntries = 10_000

// PlanMany shows what adding and removing labels would change of many entries. It changes
// nothing. Its digest stands for what is shown.
func (s *Service) PlanMany(ctx context.Context, by work.Caller, req api.LabelMany) (api.LabelPlan, error) {
	return manyOf(ctx, s, by, req, func(_ *work.Unit, plan api.LabelPlan, _ []store.Labelled) (api.LabelPlan, error) {
		return plan, nil
	})
}

// LabelMany adds labels to many entries, and removes others, as PlanMany has shown it: it
// returns [work.Outdated] if that would change something else by now. It makes no version,
// and can be undone for an hour.
func (s *Service) LabelMany(ctx context.Context, by work.Caller, req api.LabelMany) (api.LabelsChanged, error) {
	return manyOf(ctx, s, by, req, func(u *work.Unit, plan api.LabelPlan, entries []store.Labelled) (api.LabelsChanged, error) {
		if err := work.MustBeShown(req.Digest, plan.Digest); err != nil {
			return api.LabelsChanged{}, err
		}
		before, after := make([]store.LabelsBefore, len(entries)), make([]store.Labels, len(entries))
		for i, e := range entries {
			becomes := plan.Items[i].Becomes
			before[i] = store.LabelsBefore{Slug: e.Slug, Before: e.Labels.V, After: becomes}
			after[i] = store.Labels{EntryID: e.ID, Labels: becomes}
			u.Record("label", e.ID, 0, map[string]any{"labels": becomes})
		}
		if err := u.SetLabels(after); err != nil {
			return api.LabelsChanged{}, err
		}
		return changed(u, store.LabelChange{Entries: before}, len(before))
	})
}

// manyOf works out what is to change, and does something with it.
func manyOf[T any](ctx context.Context, s *Service, by work.Caller, req api.LabelMany, do func(*work.Unit, api.LabelPlan, []store.Labelled) (T, error)) (out T, err error) {
	if err := by.MustCurate("label many entries at once"); err != nil {
		return out, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (T, error) {
		plan, entries, err := planMany(u, req)
		if err != nil {
			return out, err
		}
		return do(u, plan, entries)
	})
}

// planMany gives what would change, and the entries that it would change, in one order.
func planMany(u *work.Unit, req api.LabelMany) (plan api.LabelPlan, changes []store.Labelled, err error) {
	terms, err := u.Terms()
	if err != nil {
		return plan, nil, err
	}
	if err := manyProblems(req, terms).Err(); err != nil {
		return plan, nil, err
	}
	entries, err := u.LockLabelled(req.Slugs)
	if err != nil {
		return plan, nil, err
	}
	if err := missing(req.Slugs, entries).Err(); err != nil {
		return plan, nil, err
	}
	plan.Items = []api.LabelledEntry{}
	for _, e := range entries {
		after := withLabels(e.Labels.V, req.Add, replaced(e.Labels.V, req, terms))
		if sameLabels(e.Labels.V, after) {
			plan.Same++
			continue
		}
		plan.Items = append(plan.Items, api.LabelledEntry{Slug: e.Slug, Title: e.Title, Labels: e.Labels.V, Becomes: after})
		changes = append(changes, e)
	}
	plan.Digest, err = work.PlanDigest(plan.Items)
	return plan, changes, err
}

func manyProblems(req api.LabelMany, terms []store.Term) problem.List {
	found := texts.ManyProblems(req.Slugs, mostEntries)
	if len(req.Add) == 0 && len(req.Remove) == 0 {
		found.Add("/add", "missing", "say which labels to add or to remove")
	}
	known := texts.Known(terms)
	for _, p := range texts.SingleProblems(req.Add, terms) {
		p.Field = "/add" + strings.TrimPrefix(p.Field, "/labels")
		found = append(found, p)
	}
	for name, labels := range map[string]map[string][]string{"add": req.Add, "remove": req.Remove} {
		for _, p := range texts.LabelProblems(labels, known) {
			p.Field = "/" + name + strings.TrimPrefix(p.Field, "/labels")
			found = append(found, p)
		}
	}
	for facet, names := range req.Add {
		for i, name := range names {
			if t, is := termOf(terms, facet, name); is && t.Retired {
				found.Add(problem.Pointer("add", facet, i), "retired", "nobody chooses %s any more; choose another term", name)
			}
			if slices.Contains(req.Remove[facet], name) {
				found.Add(problem.Pointer("add", facet, i), "both", "%s is to be added and removed; choose one", name)
			}
		}
	}
	return found
}

// replaced gives what labels an entry loses: what is to be removed and, of a facet of which
// it has one term at most, the one that makes room for what is added.
func replaced(labels map[string][]string, req api.LabelMany, terms []store.Term) map[string][]string {
	out := maps.Clone(req.Remove)
	if out == nil {
		out = map[string][]string{}
	}
	for _, t := range terms {
		if add := req.Add[t.Facet]; t.Single && len(add) > 0 {
			out[t.Facet] = slices.DeleteFunc(slices.Clone(labels[t.Facet]), func(name string) bool { return name == add[0] })
		}
	}
	return out
}

func missing(slugs []string, there []store.Labelled) problem.List {
	found := map[string]bool{}
	for _, e := range there {
		found[e.Slug] = true
	}
	var wrong problem.List
	for i, slug := range slugs {
		if !found[slug] {
			wrong.Add(problem.Pointer("slugs", i), "missing", "there is no entry %q", slug)
		}
	}
	return wrong
}

// withLabels gives labels with some added and others removed. A facet without terms is
// left out.
func withLabels(labels, add, remove map[string][]string) map[string][]string {
	out := map[string][]string{}
	for _, facet := range slices.Sorted(maps.Keys(labels)) {
		for _, t := range labels[facet] {
			if !slices.Contains(remove[facet], t) {
				out[facet] = append(out[facet], t)
			}
		}
	}
	for facet, terms := range add {
		for _, t := range terms {
			if !slices.Contains(out[facet], t) {
				out[facet] = append(out[facet], t)
			}
		}
	}
	return out
}

// sameLabels says whether two entries are labelled alike, whatever the order.
func sameLabels(a, b map[string][]string) bool {
	flat := func(labels map[string][]string) (all []string) {
		for facet, terms := range labels {
			for _, t := range terms {
				all = append(all, facet+"\x00"+t)
			}
		}
		slices.Sort(all)
		return all
	}
	return slices.Equal(flat(a), flat(b))
}
