package library

import (
	"context"
	"encoding/json"
	"maps"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"goldshelf/api"
	"goldshelf/core/likeness"
	"goldshelf/internal/store"
)

// keepAlike gives what the new ones are like, to be kept with the import.
func (p *planned) keepAlike() map[int]json.RawMessage {
	kept := map[int]json.RawMessage{}
	for i, it := range p.Items {
		if len(it.Alike) > 0 {
			kept[i], _ = json.Marshal(it.Alike) // texts and numbers always marshal
		}
	}
	return kept
}

func (p *planned) recallAlike(kept map[int]json.RawMessage) error {
	for i, text := range kept {
		if i >= len(p.Items) || p.Items[i].State != api.PlanNew {
			continue
		}
		it := &p.Items[i]
		if err := json.Unmarshal(text, &it.Alike); err != nil {
			return err
		}
		it.State, it.Take = api.PlanAlikeState, false
	}
	return nil
}

// likenesses finds among the new ones those that say nearly what is here, or what
// comes in before them.
func (p *planned) likenesses(ctx context.Context, r store.Reader) error {
	bands := p.read()
	first := map[int64]int{} // the first entry coming in that has a band
	note := func(i int, near api.PlanAlike) {
		it := &p.Items[i]
		if slices.ContainsFunc(it.Alike, func(a api.PlanAlike) bool { return a.Slug == near.Slug }) {
			return
		}
		it.State, it.Take = api.PlanAlikeState, false
		it.Alike = append(it.Alike, near)
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
			if s := likeness.Jaccard(likeness.Read(p.incoming[i].Body), likeness.Read(p.incoming[j].Body)); s >= leastAlike {
				note(i, api.PlanAlike{Slug: p.Items[j].Slug, Title: p.Items[j].Title, Likeness: percent(s), Incoming: true})
			}
		}
	}
	pairs, err := r.AlikeMany(ctx, bands)
	if err != nil {
		return err
	}
	return p.notePairs(ctx, r, pairs, note)
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
	all := make([][]int64, len(todo))
	atOnce(len(todo), func(k int) { all[k] = likeness.Read(p.incoming[todo[k]].Body).Print().Bands })
	bands := make(map[int][]int64, len(todo))
	for k, i := range todo {
		bands[i] = all[k]
	}
	return bands
}

// atOnce does something n times, as many at once as there are processors.
func atOnce(n int, do func(i int)) {
	var next atomic.Int64
	var wg sync.WaitGroup
	for range min(n, runtime.GOMAXPROCS(0)) {
		wg.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	wg.Wait()
}

func (p *planned) notePairs(ctx context.Context, r store.Reader, pairs []store.Pair, note func(int, api.PlanAlike)) error {
	if len(pairs) == 0 {
		return nil
	}
	ids := make([]int64, len(pairs))
	for i, pair := range pairs {
		ids[i] = pair.ID
	}
	slices.Sort(ids)
	rows, err := r.NearByID(ctx, slices.Compact(ids))
	if err != nil {
		return err
	}
	by := map[int64]store.Near{}
	for _, n := range rows {
		by[n.ID] = n
	}
	for _, pair := range pairs {
		n := by[pair.ID]
		if s := likeness.Jaccard(likeness.Read(p.incoming[pair.N].Body), likeness.Read(n.Body)); s >= leastAlike {
			note(pair.N, api.PlanAlike{Slug: n.Slug, Title: n.Title, Likeness: percent(s)})
		}
	}
	return nil
}

func chunks[T any](all []T, size int) [][]T { return slices.Collect(slices.Chunk(all, size)) }

// likest gives the entry that is here and that a new one is like.
func (l *Library) likest(ctx context.Context, in store.Import, number int) ([]store.Version, error) {
	text, ok := in.Alike.V[number]
	if !ok {
		return nil, nil
	}
	var alike []api.PlanAlike
	if err := json.Unmarshal(text, &alike); err != nil {
		return nil, err
	}
	for _, a := range alike {
		if !a.Incoming {
			return l.db.CurrentOf(ctx, []string{a.Slug})
		}
	}
	return nil, nil
}
