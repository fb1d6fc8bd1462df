package library

import (
	"cmp"
	"context"
	"math"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/likeness"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// From which share on a text is shown as like another: of all that either has,
// and of what the smaller one has where it is contained in the other.
const (
	leastAlike     = 0.5
	leastContained = 0.8
	leastCommon    = 8 // words in a row that are shown as a passage in common
)

// Alike gives the entries that say nearly what a text says, the likest first.
// The entry that the text belongs to is left out.
func (l *Library) Alike(ctx context.Context, by Caller, req api.TextOf) (api.Alike, error) {
	if err := textProblems(req.Body).Err(); err != nil {
		return api.Alike{}, err
	}
	items, err := l.alike(ctx, l.db.Reader, by, req)
	return api.Alike{Items: items}, err
}

func (l *Library) alike(ctx context.Context, r store.Reader, by Caller, req api.TextOf) ([]api.LookAlike, error) {
	if err := l.derive(ctx); err != nil {
		return nil, err
	}
	text := likeness.Read(req.Body)
	near, err := r.Alike(ctx, text.Print(), req.Slug, by.Role.Includes(entry.Reviewer), by.ID)
	if err != nil {
		return nil, err
	}
	items := []api.LookAlike{}
	for _, n := range near {
		if it, is := lookAlike(text, n); is {
			items = append(items, it)
		}
	}
	slices.SortStableFunc(items, func(a, b api.LookAlike) int {
		return cmp.Compare(max(b.Likeness, b.Contains, b.Contained), max(a.Likeness, a.Contains, a.Contained))
	})
	return items, nil
}

// lookAlike says how a text and a version are alike, if they are.
func lookAlike(text *likeness.Text, n store.Near) (api.LookAlike, bool) {
	other := likeness.Read(n.Body)
	whole, has, within := likeness.Jaccard(text, other), likeness.Contained(other, text), likeness.Contained(text, other)
	is := whole >= leastAlike ||
		has >= leastContained && other.Words() >= likeness.LeastUnit ||
		within >= leastContained && text.Words() >= likeness.LeastUnit
	it := api.LookAlike{
		Slug: n.Slug, Kind: entry.Kind(n.Kind), Title: n.Title, Version: n.Number, State: entry.State(n.State), OwnerName: n.OwnerName,
		Likeness: percent(whole), Contains: percent(has), Contained: percent(within), Body: n.Body, Passages: []api.Passage{},
	}
	if is {
		for _, p := range likeness.Common(text, other, leastCommon) {
			it.Passages = append(it.Passages, api.Passage{Start: p.Start, End: p.End, OtherStart: p.OtherStart, OtherEnd: p.OtherEnd})
		}
	}
	return it, is
}

func percent(share float64) int { return int(math.Floor(share*100 + 1e-9)) }

// mostGroups is how many groups and passages are told at once.
const mostGroups = 50

// Groups gives the entries of the library that say nearly the same, in groups,
// the largest first. Only curators see it.
func (l *Library) Groups(ctx context.Context, by Caller) (api.Groups, error) {
	if by.Role != entry.Curator {
		return api.Groups{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may look through the whole library for look-alikes; you are signed in as a " + string(by.Role)}
	}
	if err := l.derive(ctx); err != nil {
		return api.Groups{}, err
	}
	lists, err := l.db.SharedBands(ctx)
	if err != nil {
		return api.Groups{}, err
	}
	texts, err := l.texts(ctx, lists)
	if err != nil {
		return api.Groups{}, err
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
			if a != b && texts[ids[0]].Slug != texts[id].Slug && likeness.Jaccard(texts[ids[0]].read, texts[id].read) >= leastAlike {
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
	groups := api.Groups{Groups: []api.Group{}}
	for top, ids := range members {
		first := texts[top]
		g := api.Group{Items: []api.LookAlike{member(first, first)}}
		slices.SortFunc(ids, func(a, b int64) int { return cmp.Compare(texts[a].Slug, texts[b].Slug) })
		for _, id := range ids {
			g.Items = append(g.Items, member(first, texts[id]))
		}
		groups.Groups = append(groups.Groups, g)
	}
	slices.SortFunc(groups.Groups, func(a, b api.Group) int {
		return cmp.Or(cmp.Compare(len(b.Items), len(a.Items)), cmp.Compare(a.Items[0].Slug, b.Items[0].Slug))
	})
	groups.Groups = groups.Groups[:min(len(groups.Groups), mostGroups)]
	return groups, nil
}

// textNear is a version with its text read.
type textNear struct {
	store.Near
	read *likeness.Text
}

// texts reads every version that the lists name.
func (l *Library) texts(ctx context.Context, lists [][]int64) (map[int64]textNear, error) {
	ids := slices.Concat(lists...)
	slices.Sort(ids)
	rows, err := l.db.NearByID(ctx, slices.Compact(ids))
	if err != nil {
		return nil, err
	}
	texts := make(map[int64]textNear, len(rows))
	for _, n := range rows {
		texts[n.ID] = textNear{n, likeness.Read(n.Body)}
	}
	return texts, nil
}

func member(first, n textNear) api.LookAlike {
	return api.LookAlike{
		Slug: n.Slug, Kind: entry.Kind(n.Kind), Title: n.Title, Version: n.Number, State: entry.State(n.State), OwnerName: n.OwnerName,
		Likeness: percent(likeness.Jaccard(first.read, n.read)), Contains: percent(likeness.Contained(n.read, first.read)),
		Contained: percent(likeness.Contained(first.read, n.read)), Body: n.Body, Passages: []api.Passage{},
	}
}

// Recurring gives the passages that three published entries or more have, those
// first that would save the most words as a snippet. Only curators see it.
func (l *Library) Recurring(ctx context.Context, by Caller) (api.Recurring, error) {
	if by.Role != entry.Curator {
		return api.Recurring{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may look through the whole library for passages; you are signed in as a " + string(by.Role)}
	}
	if err := l.derive(ctx); err != nil {
		return api.Recurring{}, err
	}
	lists, err := l.db.SharedUnits(ctx)
	if err != nil {
		return api.Recurring{}, err
	}
	texts, err := l.texts(ctx, lists)
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
		one := api.RecurringPassage{Text: p.Text, Words: p.Words, In: make([]api.Used, len(p.In))}
		for i, at := range p.In {
			one.In[i] = api.Used{Ref: fill.Ref{Entry: all[at].Slug, Version: all[at].Number}, Kind: entry.Kind(all[at].Kind), Title: all[at].Title}
		}
		out.Passages = append(out.Passages, one)
	}
	return out, nil
}

// ReadText says what can be said of a text that was pasted: what to call it,
// where it seems to wait for something, and what on the shelf is like it.
func (l *Library) ReadText(ctx context.Context, by Caller, req api.TextOf) (api.TextRead, error) {
	if err := textProblems(req.Body).Err(); err != nil {
		return api.TextRead{}, err
	}
	items, err := l.alike(ctx, l.db.Reader, by, req)
	out := api.TextRead{Places: places.Find(req.Body), Alike: items}
	out.Title, out.Summary = entry.Suggest(req.Body)
	if out.Places == nil {
		out.Places = []places.Place{}
	}
	return out, err
}

// Turn makes blanks of places of a text. It returns a [problem.List] if the text
// has no such place, or a name cannot be one.
func Turn(req api.TurnRequest) (api.Turned, error) {
	found := textProblems(req.Body)
	end := 0
	for i, p := range req.Places {
		at := problem.Pointer("places", i)
		switch {
		case p.Start < end || p.End <= p.Start || p.End > len(req.Body) || req.Body[p.Start:p.End] != p.Text:
			found.Add(at, "place", "the text does not have %q from byte %d to %d, after the place before; read the text again", p.Text, p.Start, p.End)
		case !fill.IsName(p.Name):
			found.Add(at+"/name", "name", "%q cannot be the name of a blank; a name has lower-case letters, digits and _, begins with a letter and is none of the language's words", p.Name)
		}
		end = max(end, p.End)
	}
	if err := found.Err(); err != nil {
		return api.Turned{}, err
	}
	out := api.Turned{}
	out.Body, out.Blanks = places.Turn(req.Body, req.Places)
	if out.Blanks == nil {
		out.Blanks = []fill.Blank{}
	}
	return out, nil
}

func textProblems(body string) problem.List {
	found := problem.Text("/body", body)
	if len(body) > entry.MaxBody {
		found.Add("/body", "size", "the text has %d bytes, and %d (256 KiB) are the most", len(body), entry.MaxBody)
	}
	return found
}
