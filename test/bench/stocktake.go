package main

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/internal/index"
	"goldshelf/internal/shelf"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// aYear is five million uses by 20,000 people over a year: a few entries are used most, as it
// is everywhere.
const aYear = `
insert into uses (at, entry_id, number, person, own, application, department, how, persona)
select date_trunc('day', now()) - make_interval(secs => 364 * 86400 * (1 - n / 5000000.0)),
       (select min(id) from entries) + floor(power(random(), 3) * ((select max(id) - min(id) from entries) - 1))::bigint, 1,
       decode(lpad(to_hex(floor(random() * 20000)::int), 32, '0'), 'hex'), random() < 0.03,
       (array['', 'brook-chat', 'sluice-desk', 'weir-mail'])[1 + floor(random() * 4)::int],
       (array['customer-care', 'field-operations', 'laboratory', 'communications', 'people-team', 'procurement', 'regulatory-affairs'])[1 + floor(random() * 7)::int],
       'console', case when random() < 0.02 then 'none' else '' end
from generate_series(1, 5000000) n`

// stocktakeFigures measures the figures of a large library after a year of use.
func stocktakeFigures(ctx context.Context) (figures []figure, err error) {
	s, url, stop, err := servedDemo()
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, stop()) }()
	owner := url("goldshelf")
	fmt.Printf("Filling the library up to %d entries and a year of use …\n", largest)
	if err := testdb.Large(ctx, owner, 0, largest, entryBytes); err != nil {
		return nil, err
	}
	conn, err := pgx.Connect(ctx, owner)
	if err != nil {
		return nil, err
	}
	defer conn.Close(ctx)
	// What is alike is worked out of the texts, as it is of those that people write.
	for _, statement := range []string{aYear, "vacuum analyze uses", "set session_replication_role = replica", "update versions set indexed = false where title <> ''", "set session_replication_role = default"} {
		if _, err := conn.Exec(ctx, statement); err != nil {
			return nil, err
		}
	}
	db, err := store.Open(owner)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	take := stocktake.New(work.New(db, time.Now))
	began := time.Now()
	if _, err := take.RollUpAgain(ctx); err != nil {
		return nil, err
	}
	year := time.Since(began)
	for n := 1; n > 0; time.Sleep(time.Second) {
		if err := conn.QueryRow(ctx, "select count(*) from versions where not indexed").Scan(&n); err != nil {
			return nil, err
		}
	}
	began = time.Now()
	if _, err := take.RollUp(ctx); err != nil { // today alone
		return nil, err
	}
	day := time.Since(began)
	var size int64
	const sizeOf = `select sum(pg_total_relation_size(t::regclass))::bigint from unnest(array['use_days', 'use_weeks', 'use_week_people', 'use_personas', 'use_rolled']) t`
	if err := conn.QueryRow(ctx, sizeOf).Scan(&size); err != nil {
		return nil, err
	}
	gib := float64(size) / (1 << 30)
	figures = []figure{
		{"a year of 5 million uses rolled up anew", fmt.Sprintf("%.0f s", year.Seconds()), "5 min", year < 5*time.Minute},
		{"a day of it", fmt.Sprintf("%.2f s", day.Seconds()), "5 s", day < 5*time.Second},
		{"disk for what is rolled up", fmt.Sprintf("%.2f GiB", gib), "1 GiB", gib < 1},
	}
	counted, err := countedFills(ctx, work.New(db, time.Now))
	if err != nil {
		return nil, err
	}
	labelled, err := labelledAtOnce(ctx, s.URL)
	if err != nil {
		return nil, err
	}
	pages, err := stocktakePages(ctx, s.URL)
	return append(append(figures, counted, labelled), pages...), err
}

// countedFills measures what counting 40 uses a second costs a fill, beside as many that are
// not counted: in turns of a second, so that both have the same machine.
func countedFills(ctx context.Context, db *work.DB) (f figure, err error) {
	const aSecond, turns = 40, 10
	x := index.New()
	if err := x.Read(ctx, db); err != nil {
		return f, err
	}
	s := shelf.New(db, texts.New(db), x)
	people, err := work.Ask(ctx, db, func(v work.View) ([]store.Person, error) { return v.People() })
	if err != nil {
		return f, err
	}
	req := api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("4")}}
	took := map[bool][]time.Duration{}
	written := make(chan error, turns)
	for turn := range 2 * turns {
		count := turn%2 == 1
		tick := time.NewTicker(time.Second / aSecond)
		for n := range aSecond {
			<-tick.C
			began := time.Now()
			if _, err := s.Fill(ctx, work.CallerOf(people[n%len(people)], work.ViaConsole), "burst-main-notice", 0, req); err != nil {
				return f, err
			}
			took[count] = append(took[count], time.Since(began))
			if count && n == aSecond/2 { // as the service does it every second, meanwhile
				go func() { written <- s.WriteUses(ctx) }()
			}
		}
		tick.Stop()
	}
	for range turns {
		if err := <-written; err != nil {
			return f, err
		}
	}
	plain, counted := middle(took[false]), middle(took[true])
	slower := 100 * (counted.Seconds()/plain.Seconds() - 1)
	return figure{
		fmt.Sprintf("a fill while 40 uses a second are counted, beside %s", plain.Round(time.Microsecond)),
		fmt.Sprintf("%s, %+.1f %%", counted.Round(time.Microsecond), slower), "5 % slower", slower < 5,
	}, nil
}

func middle(all []time.Duration) time.Duration {
	slices.Sort(all)
	return all[len(all)/2]
}

// labelledAtOnce measures ten thousand entries that are labelled in one go.
func labelledAtOnce(ctx context.Context, at string) (f figure, err error) {
	c := &client.Client{Server: at}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		return f, err
	}
	req := api.LabelMany{Add: map[string][]string{"department": {"laboratory"}}}
	for n := range 10_000 {
		req.Slugs = append(req.Slugs, fmt.Sprintf("made-%d", n))
	}
	plan, err := c.PlanLabels(ctx, req)
	if err != nil {
		return f, err
	}
	req.Digest = plan.Digest
	began := time.Now()
	done, err := c.ApplyLabels(ctx, req)
	took := time.Since(began)
	return figure{fmt.Sprintf("%d entries labelled at once", done.Entries), fmt.Sprintf("%.1f s", took.Seconds()), "10 s", took < 10*time.Second}, err
}

// stocktakePages times each page: the first time, and as people see it afterwards.
func stocktakePages(ctx context.Context, at string) (figures []figure, err error) {
	c := &client.Client{Server: at}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		return nil, err
	}
	usual := client.FigureQuery{}
	began := time.Now()
	if _, err := c.UseFigures(ctx, usual, "entry"); err != nil {
		return nil, err
	}
	first := time.Since(began)
	fmt.Printf("The first time the figures are read takes %s.\n", first.Round(time.Millisecond))
	for _, p := range []struct {
		name string
		get  func() error
	}{
		{"use", func() error { _, err := c.UseFigures(ctx, usual, "entry"); return err }},
		{"use by department", func() error { _, err := c.UseFigures(ctx, usual, "department"); return err }},
		{"coverage", func() error { _, err := c.Coverage(ctx, usual, "", ""); return err }},
		{"gaps", func() error { _, err := c.Gaps(ctx, usual); return err }},
		{"repetition", func() error { _, err := c.Repetition(ctx); return err }},
		{"freshness", func() error { _, err := c.Freshness(ctx, usual); return err }},
		{"contributors", func() error { _, err := c.Contributors(ctx, usual); return err }},
		{"costs", func() error { _, err := c.Costs(ctx, usual); return err }},
	} {
		took, err := median(9, p.get)
		if err != nil {
			return nil, err
		}
		figures = append(figures, figure{"stocktake of 100,000 entries: " + p.name, ms(took), "200 ms", took < 200*time.Millisecond})
	}
	return figures, nil
}
