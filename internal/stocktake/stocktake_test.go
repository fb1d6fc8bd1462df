package stocktake_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	core "goldshelf/core/stocktake"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/testdb"
)

// autumn is a world on the last Friday of November 2026 in London, whose shelf was used for
// ten weeks: over the day of 25 hours in October, too, and near midnight.
func autumn(t *testing.T) (*testdb.World, *stocktake.Service) {
	t.Helper()
	w := databases.World(t, nil)
	friday := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	w.Clock.Pass(friday.AddDate(0, 0, -100).Sub(w.Clock.Now()))
	w.Exec(`update library set zone = 'Europe/London'`)
	second := testdb.Prompt("second", "Two {{area}}.\n")
	second.Labels = map[string][]string{"department": {"laboratory"}, "application": {"weir-mail"}, "model": {"heron-2"}}
	w.Publish(testdb.Prompt("first", "One {{area}}.\n"), second, testdb.Part(entry.Snippet, "never", "Nobody.\n"))
	w.Clock.Pass(friday.Sub(w.Clock.Now()))
	w.Exec(`
		insert into uses (at, entry_id, number, person, own, application, department, how, persona)
		select timestamptz '2026-09-14 22:30:00+00' + make_interval(mins => n * 47), (select id from entries where slug = case when n % 3 = 0 then 'second' else 'first' end), 1,
		       decode(lpad(to_hex(n * n % 11), 32, '0'), 'hex'), n % 13 = 0, case when n % 2 = 0 then 'weir-mail' else '' end,
		       case when n % 5 = 0 then 'laboratory' else 'customer-care' end, 'console', case when n % 17 = 0 then 'none' else '' end
		from generate_series(0, 2200) n`)
	s := stocktake.New(w.DB)
	if _, err := s.RollUp(t.Context()); err != nil {
		t.Fatal(err)
	}
	return w, s
}

// What is rolled up is what the uses are, counted in a plain way: by day and by week, over a
// day of 25 hours, however often it is done, and when it is made again.
func TestWhatIsRolledUpIsWhatWasUsed(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	holds := func(when string) {
		t.Helper()
		for what, query := range map[string]string{
			"days": `
				with plain as (select (at at time zone 'Europe/London')::date as day, entry_id, application, department, count(*)::int as uses, (count(*) filter (where own))::int as own from uses group by 1, 2, 3, 4)
				select 'plain ' || to_jsonb(p)::text from plain p where not exists (select from use_days d where to_jsonb(d) = to_jsonb(p))
				union all select 'rolled ' || to_jsonb(d)::text from use_days d where not exists (select from plain p where to_jsonb(d) = to_jsonb(p))`,
			"weeks": `
				with plain as (select date_trunc('week', (at at time zone 'Europe/London')::date)::date as week, entry_id, count(*)::int as uses, (count(distinct person) filter (where not own))::int as people from uses group by 1, 2)
				select 'plain ' || to_jsonb(p)::text from plain p where not exists (select from use_weeks d where to_jsonb(d) = to_jsonb(p))
				union all select 'rolled ' || to_jsonb(d)::text from use_weeks d where not exists (select from plain p where to_jsonb(d) = to_jsonb(p))`,
			"departments": `
				with plain as (select date_trunc('week', (at at time zone 'Europe/London')::date)::date as week, 'department' as facet, department as term, count(*)::int as uses, count(distinct person)::int as people from uses group by 1, 3)
				select 'plain ' || to_jsonb(p)::text from plain p where not exists (select from use_week_people d where to_jsonb(d) = to_jsonb(p))
				union all select 'rolled ' || to_jsonb(d)::text from use_week_people d where facet = 'department' and not exists (select from plain p where to_jsonb(d) = to_jsonb(p))`,
			"personas": `select 'sum' where (select sum(uses) from use_personas) <> (select count(*) from uses where persona <> '')`,
		} {
			var wrong []string
			w.Select(&wrong, query)
			if len(wrong) > 0 {
				t.Errorf("%s: the %s are not what was used: %d such as %s", when, what, len(wrong), wrong[0])
			}
		}
	}
	holds("rolled up")
	var longDay []int
	w.Select(&longDay, `select sum(uses)::int from use_days where day = '2026-10-25'`)
	if longDay[0] < 31 { // one each 47 minutes of 25 hours
		t.Errorf("the day of 25 hours has %d uses", longDay[0])
	}
	due := func(want int) {
		t.Helper()
		if n, err := s.RollUp(t.Context()); err != nil || n != want {
			t.Errorf("%d days were rolled up, %v; want %d", n, err, want)
		}
	}
	due(1) // today, and no other
	holds("done twice")
	w.Exec(`insert into uses select timestamptz '2026-11-26 12:00:00+00', entry_id, number, person, own, application, department, how, persona from uses limit 5`)
	w.Clock.Pass(24 * time.Hour)
	due(2) // yesterday had not ended, and today
	w.Clock.Pass(time.Hour)
	due(1)
	w.Exec(`delete from use_rolled where day = '2026-11-26'`) // as if someone had stopped it half-way
	due(2)
	holds("half-way")
	if n, err := stocktake.New(w.Owner()).RollUpAgain(t.Context()); err != nil || n < 70 {
		t.Errorf("%d days were rolled up again, %v", n, err)
	}
	holds("again")
	// What is older than the uses that are kept stays as it was rolled up.
	sum := func() (uses []int) {
		w.Select(&uses, `select sum(uses)::int from use_days union all select sum(uses)::int from use_weeks`)
		return uses
	}
	before := sum()
	w.Exec(`delete from uses where at < '2026-10-14'`)
	if _, err := stocktake.New(w.Owner()).RollUpAgain(t.Context()); err != nil {
		t.Fatal(err)
	}
	if after := sum(); !slices.Equal(after, before) {
		t.Errorf("once old uses are gone %v are rolled up, and %v were", after, before)
	}
}

// Two who roll up at once come to the same.
func TestTwoRollUpAtOnce(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	w.Exec(`delete from use_rolled; delete from use_days`)
	other := stocktake.New(w.Second())
	for _, err := range testdb.Race(
		func() error { _, err := s.RollUp(t.Context()); return err },
		func() error { _, err := other.RollUp(t.Context()); return err },
	) {
		if err != nil {
			t.Error(err)
		}
	}
	var wrong []int
	w.Select(&wrong, `select 1 where (select sum(uses) from use_days) <> (select count(*) from uses) or (select sum(uses) from use_weeks) <> (select count(*) from uses)`)
	if len(wrong) > 0 {
		t.Error("together they have counted something twice, or not at all")
	}
}

// One month's figures are those that a plain count of the uses gives.
func TestTheFiguresOfAMonth(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	q := stocktake.Query{Since: "2026-10-07", Until: "2026-10-29"} // weeks of 5 October to 1 November
	f, err := s.Use(t.Context(), w.By("curator"), q, "entry")
	if err != nil {
		t.Fatal(err)
	}
	if f.Period.Since != "2026-10-05" || f.Period.Until != "2026-11-01" || f.Period.Weeks != 4 || len(f.Weeks) != 4 {
		t.Errorf("the period is %+v", f.Period)
	}
	const plain = `select count(*)::int from uses u join entries e on e.id = u.entry_id where e.slug = '%s' and (at at time zone 'Europe/London')::date between '%s' and '%s'`
	for _, u := range f.Items {
		var uses, before []int
		w.Select(&uses, fmt.Sprintf(plain, u.Name, "2026-10-05", "2026-11-01"))
		w.Select(&before, fmt.Sprintf(plain, u.Name, "2026-09-07", "2026-10-04"))
		sum := 0
		for _, n := range u.Weekly {
			sum += n
		}
		if u.Uses != uses[0] || u.Before != before[0] || sum != uses[0] {
			t.Errorf("%s has %d uses, %d before and %d by week; counted plainly %d and %d", u.Name, u.Uses, u.Before, sum, uses[0], before[0])
		}
		if u.Change != core.Same {
			t.Errorf("uses were not counted all the time before, and the change of %s is %q", u.Name, u.Change)
		}
	}
	if len(f.Items) != 2 || f.Items[0].Name != "first" || f.All.Uses != f.Items[0].Uses+f.Items[1].Uses {
		t.Errorf("they are %+v of %+v", f.Items, f.All)
	}
	if len(f.Never) != 1 || f.Never[0].Slug != "never" {
		t.Errorf("never used: %+v", f.Never)
	}
	if len(f.Swapped) == 0 || f.Swapped[0].Persona != "none" || f.Swapped[0].Of != f.Items[0].Uses {
		t.Errorf("with another persona: %+v", f.Swapped)
	}
	q.Department = "laboratory"
	f, err = s.Use(t.Context(), w.By("curator"), q, "entry")
	var lab []int
	w.Select(&lab, `select count(*)::int from uses where department = 'laboratory' and (at at time zone 'Europe/London')::date between '2026-10-05' and '2026-11-01'`)
	if err != nil || f.Items[0].Uses+f.Items[1].Uses != lab[0] {
		t.Errorf("of one department %+v, %v; counted plainly %d", f.Items, err, lab[0])
	}
	c, err := s.Coverage(t.Context(), w.By("curator"), stocktake.Query{}, "", "")
	if err != nil || len(c.Cells) != 3 || c.Cells[1].Row != "customer-care" || c.Cells[1].Used != 1 {
		t.Errorf("the coverage is %+v, %v", c.Cells, err)
	}
}

// What is asked for in a wrong way is answered with all that is wrong, and figures are for
// curators alone.
func TestWhatTheStocktakeIsAsked(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	for name, tt := range map[string]struct {
		q     stocktake.Query
		wrong string
	}{
		"backwards":     {stocktake.Query{Since: "2026-11-02", Until: "2026-10-02"}, "turn them round"},
		"to come":       {stocktake.Query{Since: "2027-01-04"}, "yet to come"},
		"no day":        {stocktake.Query{Since: "Monday", Until: "2026-02-30"}, `"2026-02-30" is no day`},
		"too long":      {stocktake.Query{Since: "2020-01-01"}, "at most"},
		"no department": {stocktake.Query{Department: "weather"}, `there is no department "weather"`},
	} {
		if _, err := s.Use(t.Context(), w.By("curator"), tt.q, ""); err == nil || !strings.Contains(err.Error(), tt.wrong) {
			t.Errorf("%s: %v, want %q", name, err, tt.wrong)
		}
	}
	for _, facets := range [][2]string{{"colour", ""}, {"department", "department"}} {
		if _, err := s.Coverage(t.Context(), w.By("curator"), stocktake.Query{}, facets[0], facets[1]); err == nil {
			t.Errorf("%v is covered", facets)
		}
	}
	for _, who := range []string{"reader", "contributor", "reviewer"} {
		if _, err := s.Freshness(t.Context(), w.By(who), stocktake.Query{}); err == nil || !strings.Contains(err.Error(), "only a curator") {
			t.Errorf("a %s is told: %v", who, err)
		}
	}
}

// What is searched for in vain is told with what is like it, and how fresh the shelf is with
// what waits.
func TestGapsAndFreshness(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	ctx, curator := t.Context(), w.By("curator")
	w.Exec(`insert into missed_searches (day, words, times, unopened) values ('2026-11-20', 'pump fault report', 9, 0), ('2026-11-21', 'reports of pump faults', 3, 4), ('2026-01-01', 'long ago', 50, 0)`)
	gaps, err := s.Gaps(ctx, curator, stocktake.Query{})
	if err != nil || len(gaps.Items) != 1 || gaps.Items[0].Times != 12 || gaps.Items[0].Unopened != 4 || gaps.Items[0].Last != "2026-11-21" {
		t.Errorf("the gaps are %+v, %v", gaps, err)
	}
	w.Exec(`update entries set review_by = '2026-11-01' where slug = 'never'; update people set active = false where name = 'contributor'`)
	fresh, err := stocktake.New(w.DB).Freshness(ctx, curator, stocktake.Query{Since: "2026-08-17"})
	if err != nil || fresh.StaleAll != 1 || fresh.Stale[0].Slug != "never" || len(fresh.OwnerLeft) != 3 || fresh.ToShelf[0].Versions != 3 {
		t.Errorf("the freshness is %+v, %v", fresh, err)
	}
	costs, err := s.Costs(ctx, curator, stocktake.Query{})
	if err != nil || len(costs.Items) != 2 || costs.Items[0].Uses == 0 || costs.Items[1].Uses == 0 {
		t.Errorf("the costs are %+v, %v", costs, err)
	}
	for _, figures := range []any{gaps, fresh, costs, api.Coverage{}, api.UseFigures{}, api.Contributors{}} {
		if data, err := stocktake.Table(figures); err != nil || !strings.Contains(string(data), "\r\n") {
			t.Errorf("%T as a table: %q, %v", figures, data, err)
		}
	}
}
