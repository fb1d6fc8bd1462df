package stocktake

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strconv"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

func kindTerms() (all []api.Term) {
	for _, k := range entry.Kinds() {
		all = append(all, api.Term{Name: string(k), Title: string(k)})
	}
	return all
}

// Coverage counts what is on the shelf by the terms of two facets.
func (s *Service) Coverage(ctx context.Context, by work.Caller, q Query, rows, columns string) (api.Coverage, error) {
	rows, columns = cmp.Or(rows, "department"), cmp.Or(columns, "application")
	return figures(ctx, s, by, asked{Query: q, figure: "coverage", rows: rows, columns: columns}, func(ctx context.Context) (api.Coverage, error) { return s.coverage(ctx, q, rows, columns) })
}

func (s *Service) coverage(ctx context.Context, q Query, rows, columns string) (out api.Coverage, err error) {
	t, err := s.take(ctx, q)
	if err != nil {
		return out, err
	}
	if out.Rows, err = t.facet("rows", rows); err != nil {
		return out, err
	}
	if out.Columns, err = t.facet("columns", columns); err != nil {
		return out, err
	}
	if out.Rows.Name == out.Columns.Name {
		return out, work.Wrong("/columns", "same", "rows and columns are both %s; choose another facet for one", out.Rows.Name)
	}
	out.Period = t.period()
	out.Cells = stocktake.Coverage(t.entries, out.Rows.Name, out.Columns.Name, t.today)
	return out, nil
}

// Use tells what is used over the weeks: by entry, application, department or kind.
func (s *Service) Use(ctx context.Context, by work.Caller, q Query, what string) (api.UseFigures, error) {
	what = cmp.Or(what, "entry")
	return figures(ctx, s, by, asked{Query: q, figure: "use", rows: what}, func(ctx context.Context) (api.UseFigures, error) { return s.use(ctx, q, what) })
}

func (s *Service) use(ctx context.Context, q Query, what string) (out api.UseFigures, err error) {
	if !slices.Contains([]string{"entry", "application", "department", "kind"}, what) {
		return out, work.Wrong("/by", "by", "use is told by entry, application, department or kind, not by %q", what)
	}
	t, err := s.take(ctx, q)
	if err != nil {
		return out, err
	}
	out = api.UseFigures{Period: t.period(), By: what, Items: []api.UseSeries{}}
	for _, m := range stocktake.Mondays(t.since, t.until) {
		out.Weeks = append(out.Weeks, m.Format(time.DateOnly))
	}
	return out, s.useOf(ctx, t, what, &out)
}

func (s *Service) useOf(ctx context.Context, t taken, what string, into *api.UseFigures) error {
	got, err := work.SeeShelf(ctx, s.db, func(v work.View) (api.UseFigures, error) {
		out := *into // the view may run again
		all, err := v.Weeks("all", t.before(), t.until)
		if err != nil {
			return out, err
		}
		out.All = api.UseSeries{Title: "All", Weekly: make([]int, t.weeks())}
		if one := t.series(all, func(string) string { return "All" }); len(one) > 0 {
			out.All = one[0]
		}
		if what == "entry" {
			err := t.entryUse(v, &out)
			return out, err
		}
		rows, err := v.Weeks(what, t.before(), t.until)
		out.Items = t.series(rows, func(name string) string { return t.title(what, name) })
		return out, err
	})
	if err == nil {
		*into = got
	}
	return err
}

// series puts weeks, of the span and as many before, together by what they are of, the most
// used first.
func (t taken) series(rows []store.Week, title func(string) string) []api.UseSeries {
	at := map[string]*api.UseSeries{}
	before := map[string]int{} // people
	for _, r := range rows {
		u := at[r.Term]
		if u == nil {
			u = &api.UseSeries{Name: r.Term, Title: title(r.Term), Weekly: make([]int, t.weeks())}
			at[r.Term] = u
		}
		if r.Week.Before(t.since) {
			u.Before += r.Uses
			before[r.Term] += r.People
			continue
		}
		u.Uses += r.Uses
		u.People += r.People
		u.Weekly[int(r.Week.Sub(t.since).Hours())/(7*24)] += r.Uses
	}
	all := make([]api.UseSeries, 0, len(at))
	for _, u := range at {
		if t.comparable() {
			u.Change = stocktake.Compare(u.People, before[u.Name])
		}
		all = append(all, *u)
	}
	slices.SortFunc(all, func(a, b api.UseSeries) int { return cmp.Or(b.Uses-a.Uses, cmp.Compare(a.Name, b.Name)) })
	return all
}

// comparable says whether uses were counted all the time before.
func (t taken) comparable() bool { return !t.rolled.Since.After(t.before()) }

func (t taken) change(e stocktake.Entry) stocktake.Change {
	if !t.comparable() {
		return stocktake.Same
	}
	return e.Change(t.before())
}

// entryUse tells the use of entries.
func (t taken) entryUse(v work.View, out *api.UseFigures) error {
	entries := slices.Clone(t.entries)
	slices.SortFunc(entries, func(a, b stocktake.Entry) int { return cmp.Or(b.Uses-a.Uses, cmp.Compare(a.Slug, b.Slug)) })
	used, _ := slices.BinarySearchFunc(entries, 0, func(e stocktake.Entry, _ int) int { return map[bool]int{true: -1}[e.Uses > 0] })
	listed := min(used, mostListed)
	out.More = used - listed
	of := func(e stocktake.Entry) api.UseSeries {
		return api.UseSeries{
			Name: e.Slug, Title: e.Title, Uses: e.Uses, Before: e.Before, People: e.People, Change: t.change(e),
			Weekly: make([]int, t.weeks()), Worked: e.Worked, FellShort: e.FellShort,
		}
	}
	ids, at := []int64{}, map[string]int{}
	for i, e := range entries[:listed] {
		out.Items = append(out.Items, of(e))
		ids = append(ids, e.ID)
		at[strconv.FormatInt(e.ID, 10)] = i
	}
	weeks, err := v.EntryWeeks(ids, t.since, t.until)
	if err != nil {
		return err
	}
	for _, w := range weeks {
		out.Items[at[w.Term]].Weekly[int(w.Week.Sub(t.since).Hours())/(7*24)] += w.Uses
	}
	for _, e := range entries[:used] {
		if e.FellShort > e.Worked {
			out.FellShort = append(out.FellShort, of(e))
		}
	}
	never := entries[used:]
	slices.SortFunc(never, func(a, b stocktake.Entry) int {
		return cmp.Or(a.FirstAt.Compare(b.FirstAt), cmp.Compare(a.Slug, b.Slug))
	})
	for _, e := range never[:min(len(never), mostListed)] {
		out.Never = append(out.Never, item(e))
	}
	out.NeverMore = len(never) - len(out.Never)
	out.FellShort = out.FellShort[:min(len(out.FellShort), mostListed)]
	for _, w := range t.swapped {
		i, is := t.at[w.EntryID]
		if is && len(out.Swapped) < mostListed {
			e := t.entries[i]
			out.Swapped = append(out.Swapped, api.SwappedFigure{Slug: e.Slug, Title: e.Title, Persona: w.Persona, Uses: w.Uses, Of: e.Uses})
		}
	}
	slices.SortFunc(out.Swapped, func(a, b api.SwappedFigure) int { return cmp.Or(b.Uses-a.Uses, cmp.Compare(a.Slug, b.Slug)) })
	return nil
}

func item(e stocktake.Entry) api.Item {
	at := e.PublishedAt.UTC()
	return api.Item{Slug: e.Slug, Kind: entry.Kind(e.Kind), Title: e.Title, Labels: e.Labels, Owner: e.Owner, OwnerName: e.OwnerName, State: entry.Published, SavedAt: at, PublishedAt: &at}
}

// mostMissed is how many different searches are looked through for gaps.
const mostMissed = 5000

// Gaps gives what was searched for in vain, like ones together.
func (s *Service) Gaps(ctx context.Context, by work.Caller, q Query) (api.Gaps, error) {
	return figures(ctx, s, by, asked{Query: q, figure: "gaps"}, func(ctx context.Context) (api.Gaps, error) { return s.gaps(ctx, q) })
}

func (s *Service) gaps(ctx context.Context, q Query) (out api.Gaps, err error) {
	st, err := s.stock.Get(ctx, none{}, s.readStock)
	if err != nil {
		return out, err
	}
	p, err := st.spanOf(q)
	if err != nil {
		return out, err
	}
	var before *time.Time // what is searched for today is told at once, unless a last day is named
	if q.Until != "" {
		before = &p.until
	}
	rows, err := work.SeeShelf(ctx, s.db, func(v work.View) ([]store.Missed, error) { return v.Missed(p.since, before, mostMissed) })
	missed := make([]stocktake.Missed, len(rows))
	for i, r := range rows {
		missed[i] = stocktake.Missed{Words: r.Words, Times: r.Times, Unopened: r.Unopened, Last: r.Last.Format(time.DateOnly)}
	}
	out = api.Gaps{Since: p.since.Format(time.DateOnly), Items: stocktake.Gaps(missed)}
	out.Items = append([]stocktake.Gap{}, out.Items[:min(len(out.Items), mostListed)]...)
	return out, err
}

// Freshness tells how old what is on the shelf is, and what waits for whom.
func (s *Service) Freshness(ctx context.Context, by work.Caller, q Query) (api.Freshness, error) {
	return figures(ctx, s, by, asked{Query: q, figure: "freshness"}, func(ctx context.Context) (api.Freshness, error) { return s.freshness(ctx, q) })
}

func (s *Service) freshness(ctx context.Context, q Query) (out api.Freshness, err error) {
	t, err := s.take(ctx, q)
	if err != nil {
		return out, err
	}
	out = api.Freshness{
		Period: t.period(), Ages: stocktake.Ages(t.entries, t.today),
		Stale: []api.FreshnessEntry{}, OwnerLeft: []api.FreshnessEntry{}, Owners: []api.OwnerFigure{}, Waiting: []api.WaitingFigure{}, Returned: []api.CountFigure{},
	}
	t.looked(&out)
	return out, s.steps(ctx, t, &out)
}

// looked tells of the entries themselves.
func (t taken) looked(out *api.Freshness) {
	owners := map[string]*api.OwnerFigure{}
	for _, e := range t.entries {
		o := owners[e.Owner]
		if o == nil {
			o = &api.OwnerFigure{Name: e.Owner, FullName: e.OwnerName}
			owners[e.Owner] = o
		}
		o.Entries++
		if e.Stale(t.today) {
			o.Stale++
			out.StaleAll++
			out.Stale = append(out.Stale, api.FreshnessEntry{Slug: e.Slug, Title: e.Title, OwnerName: e.OwnerName, Day: e.ReviewBy.Format(time.DateOnly)})
		}
		if e.OwnerLeft {
			out.OwnerLeft = append(out.OwnerLeft, api.FreshnessEntry{Slug: e.Slug, Title: e.Title, OwnerName: e.OwnerName, Day: e.PublishedAt.Format(time.DateOnly)})
		}
		if !e.Deputy {
			out.NoDeputy++
		}
	}
	byDay := func(a, b api.FreshnessEntry) int {
		return cmp.Or(cmp.Compare(a.Day, b.Day), cmp.Compare(a.Slug, b.Slug))
	}
	slices.SortFunc(out.Stale, byDay)
	slices.SortFunc(out.OwnerLeft, byDay)
	out.Stale, out.OwnerLeft = out.Stale[:min(len(out.Stale), mostListed)], out.OwnerLeft[:min(len(out.OwnerLeft), mostListed)]
	for _, o := range owners {
		out.Owners = append(out.Owners, *o)
	}
	slices.SortFunc(out.Owners, func(a, b api.OwnerFigure) int { return cmp.Or(b.Entries-a.Entries, cmp.Compare(a.Name, b.Name)) })
	out.Owners = out.Owners[:min(len(out.Owners), mostListed)]
}

// steps tells of the way to the shelf.
func (s *Service) steps(ctx context.Context, t taken, out *api.Freshness) error {
	_, err := work.See(ctx, s.db, func(v work.View) (none, error) {
		out.Waiting, out.Returned = out.Waiting[:0], out.Returned[:0] // the view may run again
		waiting, err := v.InReview()
		if err != nil {
			return none{}, err
		}
		for _, w := range waiting[:min(len(waiting), mostListed)] {
			out.Waiting = append(out.Waiting, api.WaitingFigure{Slug: w.Slug, Title: w.Title, Since: w.At.UTC(), Days: int(v.Now().Sub(w.At).Hours() / 24)})
		}
		published, err := v.ToShelf(t.since, t.until)
		if err != nil {
			return none{}, err
		}
		out.ToShelf = medians(published, func(p store.ToShelf) (string, string) { return p.Department, t.title("department", p.Department) })
		out.ByReviewer = medians(published, func(p store.ToShelf) (string, string) { return p.Reviewer, p.ReviewerName })
		returned, err := v.Returned(t.since, t.until)
		for _, r := range returned {
			out.Returned = append(out.Returned, api.CountFigure{Name: r.Term, Title: t.title("department", r.Term), Count: r.Uses})
		}
		return none{}, err
	})
	return err
}

// medians gives how long versions took, by what they are of; those of all of them first.
func medians(all []store.ToShelf, of func(store.ToShelf) (name, title string)) []api.ToShelfFigure {
	days := map[string][]float64{}
	titles := map[string]string{}
	var every []float64
	for _, p := range all {
		name, title := of(p)
		days[name], titles[name] = append(days[name], p.Days), title
		every = append(every, p.Days)
	}
	out := []api.ToShelfFigure{}
	for name, d := range days {
		if name != "" {
			out = append(out, api.ToShelfFigure{Name: name, Title: titles[name], Versions: len(d), Median: stocktake.Median(d)})
		}
	}
	slices.SortFunc(out, func(a, b api.ToShelfFigure) int {
		return cmp.Or(cmp.Compare(b.Median, a.Median), cmp.Compare(a.Name, b.Name))
	})
	return append([]api.ToShelfFigure{{Title: "All", Versions: len(every), Median: stocktake.Median(every)}}, out...)
}

// Contributors gives those whose entries others use.
func (s *Service) Contributors(ctx context.Context, by work.Caller, q Query) (api.Contributors, error) {
	out, err := figures(ctx, s, by, asked{Query: q, figure: "contributors"}, func(ctx context.Context) (api.Contributors, error) { return s.contributors(ctx, q) })
	if err != nil {
		return out, err
	}
	since, until := daysOf(out.Period)
	thanked, err := work.Ask(ctx, s.db, func(v work.View) ([]string, error) { return v.Thanked(since, until) })
	out.Items = slices.Clone(out.Items) // what is remembered stays as it was worked out
	for i, it := range out.Items {
		out.Items[i].Thanked = slices.Contains(thanked, it.Name)
	}
	return out, err
}

// daysOf gives a period's first day and its last.
func daysOf(p api.Period) (since, until time.Time) {
	since, _ = time.Parse(time.DateOnly, p.Since) // a period has days
	until, _ = time.Parse(time.DateOnly, p.Until)
	return since, until
}

// Thank tells somebody how many people have used what is theirs, in the name of a curator. It
// returns a [work.Missing] where nobody has, and [work.Taken] where they were thanked for those
// weeks before.
func (s *Service) Thank(ctx context.Context, by work.Caller, name string, q Query) error {
	if name == by.Name {
		return work.Wrong("/name", "oneself", "thanks are for others; have another curator say yours")
	}
	all, err := s.Contributors(ctx, by, q)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all.Items, func(it stocktake.ContributorFigure) bool { return it.Name == name })
	if i < 0 {
		return work.MissingF("there is nobody called %.80q whose entries others used in these weeks", name)
	}
	since, until := daysOf(all.Period)
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		p, err := u.PersonByName(name)
		if err == nil && !p.Active {
			err = store.ErrNotFound
		}
		if err != nil {
			return work.Found(err, work.MissingF("there is nobody called %q; see the people", name))
		}
		if err := u.AddThanks(p.ID, since, until, by.ID); err != nil {
			return work.TakenIf(err, "%s was thanked for these weeks already", p.FullName)
		}
		u.Record(entry.Thank, 0, 0, map[string]any{"to": name, "since": all.Period.Since, "until": all.Period.Until, "people": all.Items[i].People})
		return nil
	})
}

func (s *Service) contributors(ctx context.Context, q Query) (out api.Contributors, err error) {
	t, err := s.take(ctx, q)
	if err != nil {
		return out, err
	}
	all := stocktake.Contributors(t.entries)
	return api.Contributors{Period: t.period(), Items: all[:min(len(all), mostListed)]}, nil
}

// Costs tells what the applications and models of the register cost, by what they are used,
// and what departments have spent on models.
func (s *Service) Costs(ctx context.Context, by work.Caller, q Query) (api.Costs, error) {
	return figures(ctx, s, by, asked{Query: q, figure: "costs"}, func(ctx context.Context) (api.Costs, error) { return s.costs(ctx, q) })
}

func (s *Service) costs(ctx context.Context, q Query) (out api.Costs, err error) {
	t, err := s.take(ctx, q)
	if err != nil {
		return out, err
	}
	out = api.Costs{Period: t.period(), Items: []api.CostFigure{}, Teams: []api.SpentFigure{}, Ways: []api.SpentFigure{}, Entries: []api.EntryCost{}, Idle: []api.FreshnessEntry{}}
	uses := map[string]int{}
	for _, e := range t.entries {
		for _, m := range e.Labels["model"] {
			uses["model "+m] += e.Uses
		}
	}
	base := out
	out, err = work.See(ctx, s.db, func(v work.View) (api.Costs, error) {
		out, uses := base, maps.Clone(uses) // the view may run again
		weeks, err := v.Weeks("application", t.since, t.until)
		if err != nil {
			return out, err
		}
		for _, w := range weeks {
			uses["application "+w.Term] += w.Uses
		}
		err = t.register(v, uses, &out)
		return out, err
	})
	if err != nil {
		return out, err
	}
	idle := slices.DeleteFunc(slices.Clone(t.entries), func(e stocktake.Entry) bool { return e.Uses > 0 })
	slices.SortFunc(idle, func(a, b stocktake.Entry) int {
		return cmp.Or(a.PublishedAt.Compare(b.PublishedAt), cmp.Compare(a.Slug, b.Slug))
	})
	for _, e := range idle[:min(len(idle), mostListed)] {
		out.Idle = append(out.Idle, api.FreshnessEntry{Slug: e.Slug, Title: e.Title, OwnerName: e.OwnerName, Day: e.PublishedAt.Format(time.DateOnly)})
	}
	return out, nil
}

// register tells of the register, and of what was spent.
func (t taken) register(v work.View, uses map[string]int, out *api.Costs) error {
	budget, err := v.RegisterBudget()
	if err != nil {
		return err
	}
	out.Currency, out.Cap = budget.Currency, budget.Cap
	registered, err := v.Registered()
	if err != nil {
		return err
	}
	months := float64(t.weeks()) * 7 * 12 / 365.25
	for _, r := range registered {
		c := api.CostFigure{Facet: r.Facet, Name: r.Name, Title: r.Title, Month: r.Details.V.CostMonth, Uses: uses[r.Facet+" "+r.Name]}
		if c.Month != nil && c.Uses > 0 {
			each := *c.Month * months / float64(c.Uses)
			c.PerUse = &each
		}
		out.Items = append(out.Items, c)
	}
	first := time.Date(t.since.Year(), t.since.Month(), 1, 0, 0, 0, 0, time.UTC)
	spent, err := v.SpentByTeam(first, t.until)
	for _, sp := range spent {
		out.Teams = append(out.Teams, api.SpentFigure{Name: sp.Term, Title: t.title("department", sp.Term), Words: sp.Words, Cost: sp.Cost, Replies: sp.Replies})
		out.Spent += sp.Cost
	}
	if err != nil {
		return err
	}
	return t.spentOn(v, first, out)
}

// spentOn tells what models were asked for, and with which entries.
func (t taken) spentOn(v work.View, first time.Time, out *api.Costs) error {
	ways, err := v.SpentByWay(first, t.until)
	if err != nil {
		return err
	}
	for _, w := range ways {
		out.Ways = append(out.Ways, api.SpentFigure{Name: w.Term, Title: w.Term, Words: w.Words, Cost: w.Cost, Replies: w.Replies})
	}
	spent, err := v.SpentByEntry(first, t.until, mostListed)
	if err != nil {
		return err
	}
	ids := make([]int64, len(spent))
	for i, s := range spent {
		ids[i] = s.EntryID
	}
	titles, err := v.EntryTitles(ids)
	if err != nil {
		return err
	}
	uses := map[int64]int{}
	for _, e := range t.entries {
		uses[e.ID] = e.Uses
	}
	for _, s := range spent {
		out.Entries = append(out.Entries, api.EntryCost{
			Slug: s.Slug, Title: titles[s.EntryID], Uses: uses[s.EntryID], Cost: s.Cost, Trials: s.Trials, Replies: s.Replies, Each: s.Cost / float64(s.Replies),
		})
	}
	return nil
}
