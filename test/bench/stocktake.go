package main

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
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
	for _, statement := range []string{aYear, "vacuum analyze uses"} {
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
	pages, err := stocktakePages(ctx, s.URL)
	return append(figures, pages...), err
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
