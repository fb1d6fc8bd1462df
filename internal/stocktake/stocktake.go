// Package stocktake has the figures of the library: what is used, what is missing, what has
// gone stale and what it costs. It reads what is rolled up by day and week, and works the rest
// out of it; it changes nothing but that.
package stocktake

import (
	"context"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/core/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

type none struct{}

// Service has the use cases.
type Service struct {
	db      *work.DB
	stock   work.Memo[none, stock]
	counts  work.Memo[span, counts]
	results work.Memo[asked, any]
}

// asked is of what figures are remembered.
type asked struct {
	Query
	figure, rows, columns string
}

// figures gives figures to who may see them, as they were worked out a while ago at most.
func figures[T any](ctx context.Context, s *Service, by work.Caller, of asked, takeStock func(context.Context) (T, error)) (out T, err error) {
	if err := by.MustCurate("take stock"); err != nil {
		return out, err
	}
	v, err := s.results.Get(ctx, of, func(ctx context.Context, _ asked) (any, error) { return takeStock(ctx) })
	if err != nil {
		return out, err
	}
	return v.(T), nil
}

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db: db} }

const (
	usualWeeks = 13
	mostWeeks  = 60
	mostListed = 50 // of each list
)

// Query says of what figures are wanted.
type Query struct {
	Since, Until string // days, as 2006-01-02; empty for the usual weeks
	Department   string // of who uses; for Use alone
	Application  string // the same
}

// span is whole weeks, from a Monday until before another, and who uses for what.
type span struct {
	since, until            time.Time
	department, application string
}

func (p span) before() time.Time { return p.since.Add(p.since.Sub(p.until)) }
func (p span) weeks() int        { return int(p.until.Sub(p.since).Hours()) / (7 * 24) }

// stock is what is on the shelf at a moment.
type stock struct {
	today  time.Time
	all    []stocktake.Entry // uses are none
	at     map[int64]int     // by id
	terms  []store.Term
	rolled store.Rolled
}

// counts is what is counted of a span, by entry.
type counts struct {
	of      map[int64]entryCounts
	swapped []store.Swapped
	worked  map[int64]store.EntrySum
	asOf    time.Time
}

type entryCounts struct{ uses, before, people, peopleBefore int }

// taken is what figures are worked out of.
type taken struct {
	span
	stock
	counts
	entries []stocktake.Entry // with what is counted of them
}

// take gathers what figures of a query are worked out of.
func (s *Service) take(ctx context.Context, q Query) (t taken, err error) {
	if t.stock, err = s.stock.Get(ctx, none{}, s.readStock); err != nil {
		return t, err
	}
	if t.span, err = t.spanOf(q); err != nil {
		return t, err
	}
	if t.counts, err = s.counts.Get(ctx, t.span, func(ctx context.Context, p span) (counts, error) { return s.readCounts(ctx, p, t.today) }); err != nil {
		return t, err
	}
	t.entries = slices.Clone(t.all)
	for i := range t.entries {
		e := &t.entries[i]
		c := t.of[e.ID]
		e.Uses, e.Before, e.People, e.PeopleBefore = c.uses, c.before, c.people, c.peopleBefore
		e.Worked, e.FellShort = t.worked[e.ID].Uses, t.worked[e.ID].People
	}
	return t, nil
}

// spanOf reads which weeks are meant: those in which the days are, and by themselves the usual
// number of weeks that have ended.
func (s stock) spanOf(q Query) (p span, err error) {
	p = span{department: q.Department, application: q.Application, until: stocktake.Monday(s.today)}
	var wrong problem.List
	day := func(field, text string, to *time.Time) {
		if text == "" {
			return
		}
		t, err := time.Parse(time.DateOnly, text)
		if err != nil {
			wrong.Add("/"+field, "date", "%q is no day; write one as 2026-11-30", text)
			return
		}
		*to = t
	}
	last := p.until.AddDate(0, 0, -1)
	day("until", q.Until, &last)
	p.until = stocktake.Monday(last).AddDate(0, 0, 7)
	first := p.until.AddDate(0, 0, -7*usualWeeks)
	day("since", q.Since, &first)
	p.since = stocktake.Monday(first)
	switch {
	case wrong != nil:
	case first.After(s.today):
		wrong.Add("/since", "future", "%s is yet to come; choose a day that has been", first.Format(time.DateOnly))
	case last.Before(first):
		wrong.Add("/until", "order", "the figures are to be until %s and since %s; turn them round", last.Format(time.DateOnly), first.Format(time.DateOnly))
	case p.weeks() > mostWeeks:
		wrong.Add("/since", "size", "those are %d weeks; figures are of %d at most", p.weeks(), mostWeeks)
	}
	for _, f := range [][2]string{{"department", q.Department}, {"application", q.Application}} {
		if f[1] != "" && !slices.ContainsFunc(s.terms, func(t store.Term) bool { return t.Facet == f[0] && t.Name == f[1] }) {
			wrong.Add("/"+f[0], "term", "there is no %s %q", f[0], f[1])
		}
	}
	return p, wrong.Err()
}

func (t taken) period() api.Period {
	return api.Period{Since: t.since.Format(time.DateOnly), Until: t.until.AddDate(0, 0, -1).Format(time.DateOnly), Weeks: t.weeks(), AsOf: t.asOf.UTC()}
}

// readStock reads what is on the shelf.
func (s *Service) readStock(ctx context.Context, _ none) (stock, error) {
	return work.SeeShelf(ctx, s.db, func(v work.View) (out stock, err error) {
		if out.today, err = v.Today(); err != nil {
			return out, err
		}
		if out.terms, err = v.Terms(); err != nil {
			return out, err
		}
		if out.rolled, err = v.Rolled(); err != nil {
			return out, err
		}
		rows, err := v.Stock()
		if err != nil {
			return out, err
		}
		out.at = make(map[int64]int, len(rows))
		for i, r := range rows {
			out.at[r.ID] = i
			out.all = append(out.all, stocktake.Entry{
				ID: r.ID, Slug: r.Slug, Kind: r.Kind, Title: r.Title, Owner: r.Owner, OwnerName: r.OwnerName, OwnerLeft: !r.OwnerActive, Deputy: r.Deputy,
				Department: r.Department, Labels: map[string][]string{}, PublishedAt: r.PublishedAt, FirstAt: r.FirstAt, ReviewBy: r.ReviewBy,
			})
		}
		return out, v.StockLabels(func(facet, term string, entries []int64) {
			for _, id := range entries {
				if i, is := out.at[id]; is {
					out.all[i].Labels[facet] = append(out.all[i].Labels[facet], term)
				}
			}
		})
	})
}

// readCounts reads what is counted of a span.
func (s *Service) readCounts(ctx context.Context, p span, today time.Time) (counts, error) {
	return work.SeeShelf(ctx, s.db, func(v work.View) (out counts, err error) {
		out.of = map[int64]entryCounts{}
		people, err := v.EntryPeople(p.since, p.until)
		if err != nil {
			return out, err
		}
		peopleBefore, err := v.EntryPeople(p.before(), p.since)
		if err != nil {
			return out, err
		}
		now, before := people, peopleBefore
		if p.application != "" || p.department != "" { // which weeks alone do not tell
			if now, err = v.EntrySums(p.since, p.until, p.application, p.department); err != nil {
				return out, err
			}
			if before, err = v.EntrySums(p.before(), p.since, p.application, p.department); err != nil {
				return out, err
			}
		}
		for _, part := range []struct {
			rows []store.EntrySum
			add  func(*entryCounts, store.EntrySum)
		}{
			{now, func(c *entryCounts, r store.EntrySum) { c.uses = r.Uses }}, {before, func(c *entryCounts, r store.EntrySum) { c.before = r.Uses }},
			{people, func(c *entryCounts, r store.EntrySum) { c.people = r.People }}, {peopleBefore, func(c *entryCounts, r store.EntrySum) { c.peopleBefore = r.People }},
		} {
			for _, r := range part.rows {
				c := out.of[r.ID]
				part.add(&c, r)
				out.of[r.ID] = c
			}
		}
		if out.swapped, err = v.Swapped(p.since, p.until); err != nil {
			return out, err
		}
		told, err := v.ToldOf(p.since, p.until)
		if err != nil {
			return out, err
		}
		out.worked = map[int64]store.EntrySum{}
		for _, r := range told {
			out.worked[r.ID] = r
		}
		rolled, err := v.Rolled()
		out.asOf = rolled.At
		return out, err
	})
}

// title gives what a term of a facet is called.
func (s stock) title(facet, name string) string {
	if facet == "kind" {
		return name
	}
	for _, t := range s.terms {
		if t.Facet == facet && t.Name == name {
			return t.Title
		}
	}
	if name == "" {
		return "None"
	}
	return name
}

// facet gives a facet with its terms, or a problem.
func (s stock) facet(field, name string) (api.Facet, error) {
	if name == "kind" {
		return api.Facet{Name: "kind", Title: "Kind", Terms: kindTerms()}, nil
	}
	var f api.Facet
	for _, t := range s.terms {
		if t.Facet != name {
			continue
		}
		if f.Name == "" {
			f = texts.Facet(t)
		}
		if t.Name != "" {
			f.Terms = append(f.Terms, api.Term{Name: t.Name, Title: t.Title, Under: t.Under, Retired: t.Retired})
		}
	}
	if f.Name == "" {
		return f, work.Wrong("/"+field, "facet", "there is no facet %q", name)
	}
	return f, nil
}
