package trials

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/trial"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	mostTaken  = 400 // trials that are looked through
	mostQuoted = 60  // entries that are told of
)

// Quality tells how often replies hold to all that is expected of them, by the newest trial of
// each entry that everyone sees and by the one before with the same model, and by model. It is
// for curators.
func (s *Service) Quality(ctx context.Context, by work.Caller) (api.Quality, error) {
	out := api.Quality{Items: []api.QualityFigure{}, Models: []api.ModelQuality{}}
	if err := by.MustCurate("take stock"); err != nil {
		return out, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.Quality, error) {
		if err := v.Look(by.ID); err != nil {
			return out, err
		}
		all, err := v.Trials(store.Wanted{Most: mostTaken}, by.Sight())
		if err != nil {
			return out, err
		}
		told := map[[2]string]*api.QualityFigure{} // by entry and model
		entries := map[string]int64{}              // by slug
		for _, t := range all {                    // the last begun first
			if t.Private || t.Awaited+t.Unchecked > 0 || t.AboutID != 0 || entries[t.Slug] == 0 && len(entries) == mostQuoted {
				continue
			}
			entries[t.Slug] = t.EntryID
			if err := quality(v.Reader, t, told); err != nil {
				return out, err
			}
		}
		out.Models = byModel(told)
		titles, err := v.EntryTitles(slices.Collect(maps.Values(entries)))
		if err != nil {
			return out, err
		}
		out.Items = out.Items[:0] // the view may run again
		for _, q := range told {
			q.Title = titles[entries[q.Slug]]
			out.Items = append(out.Items, *q)
		}
		slices.SortFunc(out.Items, func(a, b api.QualityFigure) int {
			return cmp.Or(cmp.Compare(share(a.Met, a.Of), share(b.Met, b.Of)), cmp.Compare(a.Slug, b.Slug), cmp.Compare(a.Model, b.Model))
		})
		return out, nil
	})
}

func share(met, of int) float64 {
	if of == 0 {
		return 0
	}
	return float64(met) / float64(of)
}

// quality adds what a trial says: the newest of an entry with a model, or the one before it.
func quality(r store.Reader, t store.Trial, told map[[2]string]*api.QualityFigure) error {
	whole := func(model string) bool {
		q := told[[2]string{t.Slug, model}]
		return q != nil && q.Before != nil
	}
	if !slices.ContainsFunc(t.Plan.V.SetUps, func(s trial.SetUp) bool { return !whole(s.Model) }) {
		return nil
	}
	k, err := read(r, t)
	if err != nil {
		return err
	}
	met, of := map[string]int{}, map[string]int{} // by model
	for _, reply := range k.judgedReplies() {
		model := t.Plan.V.SetUps[reply.SetUp].Model
		switch reply.All() {
		case trial.Met:
			met[model]++
			of[model]++
		case trial.Missed:
			of[model]++
		}
	}
	for model, n := range of {
		key := [2]string{t.Slug, model}
		switch q := told[key]; {
		case q == nil:
			told[key] = &api.QualityFigure{Slug: t.Slug, Model: model, Trial: t.ID, On: t.At.UTC().Format(time.DateOnly), Met: met[model], Of: n}
		case q.Before == nil:
			q.Before = &api.QualityBefore{Trial: t.ID, On: t.At.UTC().Format(time.DateOnly), Met: met[model], Of: n}
		}
	}
	return nil
}

// byModel adds up the newest trials by model, the best first.
func byModel(told map[[2]string]*api.QualityFigure) []api.ModelQuality {
	at := map[string]*api.ModelQuality{}
	for key, q := range told {
		m := at[key[1]]
		if m == nil {
			m = &api.ModelQuality{Model: key[1]}
			at[key[1]] = m
		}
		m.Entries++
		m.Met += q.Met
		m.Of += q.Of
	}
	all := make([]api.ModelQuality, 0, len(at))
	for _, m := range at {
		all = append(all, *m)
	}
	slices.SortFunc(all, func(a, b api.ModelQuality) int {
		return cmp.Or(cmp.Compare(share(b.Met, b.Of), share(a.Met, a.Of)), cmp.Compare(a.Model, b.Model))
	})
	return all
}
