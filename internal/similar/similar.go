// Package similar has the use cases around entries that say nearly the same: found for
// a text, in groups over the whole library, and as passages that recur.
package similar

import (
	"cmp"
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/likeness"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db       *work.DB
	repeated work.Memo[struct{}, api.Repetition]
}

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db: db} }

const leastCommon = 8 // words in a row that are shown as a passage in common

// To gives the entries that say nearly what a text says, the likest first. The entry
// that the text belongs to is left out.
func (s *Service) To(ctx context.Context, by work.Caller, req api.TextOf) (api.SimilarList, error) {
	if err := append(entry.BodyProblems(req.Body), problem.Text("/slug", req.Slug)...).Err(); err != nil {
		return api.SimilarList{}, err
	}
	text := likeness.Read(req.Body)
	near, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Near, error) {
		return v.Similar(text.Print(), req.Slug, by.Sight())
	})
	if err != nil {
		return api.SimilarList{}, err
	}
	out := api.SimilarList{Items: []api.Similar{}}
	for _, n := range near {
		if it, is := similar(text, n); is {
			out.Items = append(out.Items, it)
		}
	}
	slices.SortStableFunc(out.Items, func(a, b api.Similar) int {
		return cmp.Compare(max(b.Likeness, b.Contains, b.Contained), max(a.Likeness, a.Contains, a.Contained))
	})
	return out, nil
}

// Read says what can be said of a text that was pasted: what to call it, where it seems
// to wait for something, and what on the shelf is like it.
func (s *Service) Read(ctx context.Context, by work.Caller, req api.TextOf) (api.TextRead, error) {
	near, err := s.To(ctx, by, req)
	if err != nil {
		return api.TextRead{}, err
	}
	out := api.TextRead{Places: append([]places.Place{}, places.Find(req.Body)...), Similar: near.Items}
	out.Title, out.Summary = entry.Suggest(req.Body)
	return out, nil
}

// similar says how a text and a version are alike, if they are.
func similar(text *likeness.Text, n store.Near) (api.Similar, bool) {
	other := likeness.Read(n.Body)
	whole, has, within := likeness.Jaccard(text, other), likeness.Contained(other, text), likeness.Contained(text, other)
	is := whole >= likeness.Alike ||
		has >= likeness.AlmostContained && other.Words() >= likeness.LeastUnit ||
		within >= likeness.AlmostContained && text.Words() >= likeness.LeastUnit
	it := api.Similar{
		Slug: n.Slug, Kind: entry.Kind(n.Kind), Title: n.Title, Version: n.Number, State: entry.State(n.State), OwnerName: n.OwnerName,
		Likeness: likeness.Percent(whole), Contains: likeness.Percent(has), Contained: likeness.Percent(within), Body: n.Body, Passages: []api.Passage{},
	}
	if is {
		for _, p := range likeness.Common(text, other, leastCommon) {
			it.Passages = append(it.Passages, api.Passage{Start: p.Start, End: p.End, OtherStart: p.OtherStart, OtherEnd: p.OtherEnd})
		}
	}
	return it, is
}

// mostGroups is how many groups and passages are told at once.
const mostGroups = 50

// Groups gives the entries of the library that say nearly the same, in groups,
// the largest first. Only curators see it.
func (s *Service) Groups(ctx context.Context, by work.Caller) (api.Groups, error) {
	if err := by.MustCurate("look through the whole library for similar entries"); err != nil {
		return api.Groups{}, err
	}
	found, err := s.groups(ctx)
	groups := api.Groups{Groups: []api.Group{}}
	for _, texts := range found[:min(len(found), mostGroups)] {
		g := api.Group{}
		for _, t := range texts {
			g.Items = append(g.Items, member(texts[0], t))
		}
		groups.Groups = append(groups.Groups, g)
	}
	return groups, err
}

// groups gives versions that say nearly the same, the largest groups first.
func (s *Service) groups(ctx context.Context) (groups [][]textNear, err error) {
	lists, texts, err := s.shared(ctx, store.Reader.SharedBands)
	if err != nil {
		return nil, err
	}
	root := map[int64]int64{}
	var find func(int64) int64
	find = func(id int64) int64 {
		if up, ok := root[id]; ok && up != id {
			root[id] = find(up)
			return root[id]
		}
		return id
	}
	// Whoever is like the first that shares a band is in its group.
	for _, ids := range lists {
		for _, id := range ids[1:] {
			a, b := find(ids[0]), find(id)
			if a != b && texts[ids[0]].Slug != texts[id].Slug && likeness.Jaccard(texts[ids[0]].read, texts[id].read) >= likeness.Alike {
				root[b] = a
			}
		}
	}
	members := map[int64][]int64{}
	for id := range texts {
		if top := find(id); top != id {
			members[top] = append(members[top], id)
		}
	}
	for top, ids := range members {
		slices.SortFunc(ids, func(a, b int64) int { return cmp.Compare(texts[a].Slug, texts[b].Slug) })
		g := []textNear{texts[top]}
		for _, id := range ids {
			g = append(g, texts[id])
		}
		groups = append(groups, g)
	}
	slices.SortFunc(groups, func(a, b []textNear) int {
		return cmp.Or(cmp.Compare(len(b), len(a)), cmp.Compare(a[0].Slug, b[0].Slug))
	})
	return groups, nil
}

// textNear is a version with its text read.
type textNear struct {
	store.Near
	read *likeness.Text
}

// shared gives lists of the ids of versions that have something in common, and those
// versions with their texts read.
func (s *Service) shared(ctx context.Context, list func(store.Reader) ([][]int64, error)) (lists [][]int64, texts map[int64]textNear, err error) {
	rows, err := work.See(ctx, s.db, func(v work.View) ([]store.Near, error) {
		if lists, err = list(v.Reader); err != nil {
			return nil, err
		}
		return v.NearByID(firstOf(lists))
	})
	if err != nil {
		return nil, nil, err
	}
	texts = make(map[int64]textNear, len(rows))
	for i, read := range work.AtOnce(rows, func(n store.Near) *likeness.Text { return likeness.Read(n.Body) }) {
		texts[rows[i].ID] = textNear{rows[i], read}
	}
	// What is somebody's alone shares bands with others, and is not shown.
	for i := range lists {
		lists[i] = slices.DeleteFunc(lists[i], func(id int64) bool { return texts[id].read == nil })
	}
	return slices.DeleteFunc(lists, func(ids []int64) bool { return len(ids) < 2 }), texts, nil
}

// mostRead is how many texts are read to say what the library says more than once: of a large
// one those that have the most in common with others.
const mostRead = 5000

// firstOf gives the ids of the first lists, as many as are read at most.
func firstOf(lists [][]int64) (ids []int64) {
	seen := map[int64]bool{}
	for _, list := range lists {
		for _, id := range list {
			if !seen[id] && len(ids) < mostRead {
				seen[id] = true
				ids = append(ids, id)
			}
		}
	}
	slices.Sort(ids)
	return ids
}

func member(first, n textNear) api.Similar {
	return api.Similar{
		Slug: n.Slug, Kind: entry.Kind(n.Kind), Title: n.Title, Version: n.Number, State: entry.State(n.State), OwnerName: n.OwnerName,
		Likeness: likeness.Percent(likeness.Jaccard(first.read, n.read)), Contains: likeness.Percent(likeness.Contained(n.read, first.read)),
		Contained: likeness.Percent(likeness.Contained(first.read, n.read)), Body: n.Body, Passages: []api.Passage{},
	}
}

// Recurring gives the passages that three published entries or more have, those
// first that would save the most words as a snippet. Only curators see it.
func (s *Service) Recurring(ctx context.Context, by work.Caller) (api.Recurring, error) {
	if err := by.MustCurate("look through the whole library for passages"); err != nil {
		return api.Recurring{}, err
	}
	return s.recurring(ctx)
}

func (s *Service) recurring(ctx context.Context) (api.Recurring, error) {
	_, texts, err := s.shared(ctx, store.Reader.SharedUnits)
	if err != nil {
		return api.Recurring{}, err
	}
	all := make([]textNear, 0, len(texts))
	for _, t := range texts {
		all = append(all, t)
	}
	slices.SortFunc(all, func(a, b textNear) int { return cmp.Compare(a.Slug, b.Slug) })
	read := make([]*likeness.Text, len(all))
	for i, t := range all {
		read[i] = t.read
	}
	out := api.Recurring{Passages: []api.RecurringPassage{}}
	for _, p := range likeness.FindRecurring(read, 3) {
		if len(out.Passages) == mostGroups {
			break
		}
		one := api.RecurringPassage{Text: p.Text, Words: p.Words, Saves: p.Words * (len(p.In) - 1), In: make([]api.Used, len(p.In))}
		for i, at := range p.In {
			one.In[i] = api.Used{Ref: fill.Ref{Entry: all[at].Slug, Version: all[at].Number}, Kind: entry.Kind(all[at].Kind), Title: all[at].Title}
		}
		out.Passages = append(out.Passages, one)
	}
	return out, nil
}
