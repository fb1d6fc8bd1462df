package gather

import (
	"encoding/json"
	"maps"
	"slices"

	"goldshelf/api"
	"goldshelf/core/likeness"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// keepSimilar gives what the new ones are like, to be kept with the import.
func (p *planned) keepSimilar() map[int]json.RawMessage {
	kept := map[int]json.RawMessage{}
	for i, it := range p.Items {
		if len(it.Similar) > 0 {
			kept[i], _ = json.Marshal(it.Similar) // texts and numbers always marshal
		}
	}
	return kept
}

func (p *planned) recallSimilar(kept map[int]json.RawMessage) error {
	for i, text := range kept {
		if i >= len(p.Items) || p.Items[i].State != api.PlanNew {
			continue
		}
		it := &p.Items[i]
		if err := json.Unmarshal(text, &it.Similar); err != nil {
			return err
		}
		it.State, it.Selected = api.PlanSimilar, false
	}
	return nil
}

// findSimilar finds among the new ones those that say nearly what is here, or what
// comes in before them.
func (p *planned) findSimilar(r store.Reader) error {
	bands := p.read()
	first := map[int64]int{} // the first entry coming in that has a band
	note := func(i int, near api.PlanMatch) {
		it := &p.Items[i]
		if slices.ContainsFunc(it.Similar, func(a api.PlanMatch) bool { return a.Slug == near.Slug }) {
			return
		}
		it.State, it.Selected = api.PlanSimilar, false
		it.Similar = append(it.Similar, near)
	}
	for _, i := range slices.Sorted(maps.Keys(bands)) {
		for _, b := range bands[i] {
			j, taken := first[b]
			if !taken {
				first[b] = i
				continue
			}
			if j == i {
				continue
			}
			if s := likeness.Jaccard(likeness.Read(p.incoming[i].Body), likeness.Read(p.incoming[j].Body)); s >= likeness.Alike {
				note(i, api.PlanMatch{Slug: p.Items[j].Slug, Title: p.Items[j].Title, Likeness: likeness.Percent(s), Incoming: true})
			}
		}
	}
	pairs, err := r.SimilarMany(bands)
	if err != nil {
		return err
	}
	return p.notePairs(r, pairs, note)
}

// read gives the bands of the new ones' texts, read as many at once as there are
// processors.
func (p *planned) read() map[int][]int64 {
	var todo []int
	for i, it := range p.Items {
		if it.State == api.PlanNew && len(p.incoming[i].Body) >= 40 {
			todo = append(todo, i)
		}
	}
	all := work.AtOnce(todo, func(i int) []int64 { return likeness.Read(p.incoming[i].Body).Print().Bands })
	bands := make(map[int][]int64, len(todo))
	for k, i := range todo {
		bands[i] = all[k]
	}
	return bands
}

func (p *planned) notePairs(r store.Reader, pairs []store.Pair, note func(int, api.PlanMatch)) error {
	if len(pairs) == 0 {
		return nil
	}
	ids := make([]int64, len(pairs))
	for i, pair := range pairs {
		ids[i] = pair.ID
	}
	slices.Sort(ids)
	rows, err := r.NearByID(slices.Compact(ids))
	if err != nil {
		return err
	}
	by := map[int64]store.Near{}
	for _, n := range rows {
		by[n.ID] = n
	}
	for _, pair := range pairs {
		n := by[pair.ID]
		if s := likeness.Jaccard(likeness.Read(p.incoming[pair.N].Body), likeness.Read(n.Body)); s >= likeness.Alike {
			note(pair.N, api.PlanMatch{Slug: n.Slug, Title: n.Title, Likeness: likeness.Percent(s)})
		}
	}
	return nil
}

// mostSimilar gives the entry that is here and that a new one is most like.
func mostSimilar(r store.Reader, in store.Import, number int) ([]store.Version, error) {
	text, ok := in.Alike.V[number]
	if !ok {
		return nil, nil
	}
	var similar []api.PlanMatch
	if err := json.Unmarshal(text, &similar); err != nil {
		return nil, err
	}
	for _, a := range similar {
		if !a.Incoming {
			return r.CurrentOf([]string{a.Slug})
		}
	}
	return nil, nil
}
