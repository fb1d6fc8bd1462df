package shelf

import (
	"cmp"
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/search"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// The periods over which the best of the shelf is told, in days.
var periods = []int{30, 90, 365}

const (
	usualPeriod = 90
	mostBest    = 10
)

// figures are what is used and liked most, as it was worked out last.
type figures struct {
	used         map[int][]ranked // by days
	favoured     []ranked
	contributors map[int][]contributor
}

type ranked struct {
	entry int64
	times int
}

type contributor struct {
	person         int64
	entries, times int
}

// ReadFigures works out what is used and liked most, and has searches go by it.
func (s *Service) ReadFigures(ctx context.Context) error {
	rows, err := work.SeeShelf(ctx, s.db, func(v work.View) ([]store.EntryUse, error) { return v.EntryUses() })
	if err != nil {
		return err
	}
	uses := map[int64]float64{}
	for _, r := range rows {
		uses[r.EntryID] = worth(r)
	}
	s.index.SetUses(uses)
	s.best.Store(best(rows))
	return nil
}

// worth is how much sooner an entry is found: for what it is used, kept at hand and said to
// have worked; what is said to fall short takes of that.
func worth(r store.EntryUse) float64 {
	return max(0, float64(r.Uses90+r.Favourites+2*r.Worked-4*r.FellShort))
}

func best(rows []store.EntryUse) *figures {
	f := &figures{used: map[int][]ranked{}, contributors: map[int][]contributor{}}
	f.favoured = top(rows, func(r store.EntryUse) int { return r.Favourites })
	for _, days := range periods {
		times := func(r store.EntryUse) int { return timesIn(r, days) }
		f.used[days] = top(rows, times)
		f.contributors[days] = contributors(rows, times)
	}
	return f
}

func timesIn(r store.EntryUse, days int) int {
	switch days {
	case 30:
		return r.Uses30
	case 90:
		return r.Uses90
	}
	return r.Uses365
}

func top(rows []store.EntryUse, times func(store.EntryUse) int) (all []ranked) {
	for _, r := range rows {
		if n := times(r); n > 0 {
			all = append(all, ranked{r.EntryID, n})
		}
	}
	slices.SortFunc(all, func(a, b ranked) int { return cmp.Or(b.times-a.times, cmp.Compare(a.entry, b.entry)) })
	return all[:min(len(all), mostBest)]
}

func contributors(rows []store.EntryUse, times func(store.EntryUse) int) (all []contributor) {
	at := map[int64]*contributor{}
	for _, r := range rows {
		if n := times(r); n > 0 {
			c := at[r.OwnerID]
			if c == nil {
				c = &contributor{person: r.OwnerID}
				at[r.OwnerID] = c
			}
			c.entries++
			c.times += n
		}
	}
	for _, c := range at {
		all = append(all, *c)
	}
	slices.SortFunc(all, func(a, b contributor) int { return cmp.Or(b.times-a.times, cmp.Compare(a.person, b.person)) })
	return all[:min(len(all), mostBest)]
}

// Best gives the best of the shelf over so many days, of which there are a few to choose
// from; 0 is the usual. What is used is told as it was ten minutes ago at most.
func (s *Service) Best(ctx context.Context, days int) (api.Best, error) {
	if days == 0 {
		days = usualPeriod
	}
	if !slices.Contains(periods, days) {
		return api.Best{}, work.Wrong("/days", "days", "the period is %d days; it is 30, 90 or 365", days)
	}
	f := s.best.Load()
	if f == nil {
		f = best(nil) // until they are worked out first
	}
	return see(ctx, s, func(v work.View) (api.Best, error) {
		out := api.Best{Days: days}
		newest, err := s.list(v, search.Sight{Shelf: true}, Query{Newest: true, Limit: mostBest})
		if err != nil {
			return out, err
		}
		out.Newest = newest.Items
		if out.Used, err = rankedItems(v, f.used[days]); err != nil {
			return out, err
		}
		if out.Favoured, err = rankedItems(v, f.favoured); err != nil {
			return out, err
		}
		out.Contributors, err = named(v, f.contributors[days])
		return out, err
	})
}

// rankedItems gives entries as lists show them. What is not on the shelf is left out.
func rankedItems(v work.View, all []ranked) ([]api.Ranked, error) {
	out := []api.Ranked{}
	ids := make([]int64, len(all))
	for i, r := range all {
		ids[i] = r.entry
	}
	versions, err := v.ShelvedOf(ids)
	if err != nil || len(versions) == 0 {
		return out, err
	}
	shown := make([]int64, 0, len(versions))
	for _, id := range versions {
		shown = append(shown, id)
	}
	rows, err := v.FoundItems(shown, false)
	if err != nil {
		return out, err
	}
	for _, r := range all {
		at := slices.IndexFunc(rows, func(row store.FoundItem) bool { return row.ID == versions[r.entry] })
		if at >= 0 {
			out = append(out, api.Ranked{Item: item(rows[at]), Times: r.times})
		}
	}
	return out, nil
}

func named(v work.View, all []contributor) ([]api.Contributor, error) {
	out := []api.Contributor{}
	people, err := v.People()
	if err != nil {
		return out, err
	}
	for _, c := range all {
		at := slices.IndexFunc(people, func(p store.Person) bool { return p.ID == c.person })
		if at >= 0 && people[at].Active {
			out = append(out, api.Contributor{Name: people[at].Name, FullName: people[at].FullName, Entries: c.entries, Times: c.times})
		}
	}
	return out, nil
}
