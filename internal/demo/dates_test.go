package demo

import (
	"encoding/json"
	"log/slog"
	"regexp"
	"strings"
	"testing"
	"time"

	"goldshelf/core/entry"
	"goldshelf/internal/library"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/work"
)

// A moment or a day in JSON, and a month in a sentence.
var dates = regexp.MustCompile(`"\d{4}-\d\d-\d\d(T[^"]*)?"|\d{4}-\d\d-\d\d`)

func TestStoryEndIsTheLastSunday(t *testing.T) {
	t.Parallel()
	london, err := time.LoadLocation(zone)
	if err != nil {
		t.Fatal(err)
	}
	for now, want := range map[string]string{
		"2026-11-30T00:00:00Z":      "2026-11-29 16:00", // a Monday, at its first moment
		"2026-12-06T23:59:59Z":      "2026-11-29 16:00",
		"2026-12-07T00:00:00Z":      "2026-12-06 16:00",
		"2027-03-28T23:30:00+01:00": "2027-03-21 16:00", // the clocks went forward in the morning
		"2026-10-26T00:30:00Z":      "2026-10-25 16:00", // the clocks went back the day before
		"2028-02-29T12:00:00Z":      "2028-02-27 16:00",
	} {
		at, err := time.Parse(time.RFC3339, now)
		if err != nil {
			t.Fatal(err)
		}
		if got := storyEnd(at, london).Format("2006-01-02 15:04"); got != want {
			t.Errorf("at %s: the story ends on %s, want %s", now, got, want)
		}
	}
}

// Somebody who starts the demo on another day sees the same desks and the same figures.
func TestDemoIsTheSameOnEveryDate(t *testing.T) {
	t.Parallel()
	shown := map[string]map[string]string{}                          // by date, then by what is shown
	days := []string{"2026-11-30T00:10:00Z", "2027-03-28T22:50:00Z"} // the first and the last minutes of a week
	for _, day := range days {
		now, err := time.Parse(time.RFC3339, day)
		if err != nil {
			t.Fatal(err)
		}
		shown[day] = showDemo(t, now)
	}
	for _, day := range days[1:] {
		for what, want := range shown[days[0]] {
			if got := shown[day][what]; got != want {
				t.Errorf("%s on %s:\n%s\non %s:\n%s", what, day, got, days[0], want)
			}
		}
	}
}

// showDemo loads the demo at a moment, and returns its desks and figures without dates.
func showDemo(t *testing.T, now time.Time) map[string]string {
	t.Helper()
	db, ctx := databases.Open(t), t.Context()
	if _, err := Load(ctx, db, now, slog.New(slog.DiscardHandler)); err != nil {
		t.Fatal(err)
	}
	lib := library.New(db, func() time.Time { return now }, library.Closed())
	if _, err := lib.Stocktake.RollUp(ctx); err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	show := func(what string, v any, err error) {
		t.Helper()
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		data, err := json.Marshal(v)
		if err != nil {
			t.Fatal(err)
		}
		out[what] = dates.ReplaceAllString(string(data), "DATE")
	}
	for _, p := range people() {
		row, err := work.Ask(ctx, lib.DB, func(v work.View) (int64, error) {
			p, err := v.PersonByName(p.name)
			return p.ID, err
		})
		if err != nil {
			t.Fatal(err)
		}
		desk, err := lib.Desk.Desk(ctx, work.Caller{ID: row, Name: p.name, Role: p.role, Via: "service"}, 200, "")
		var waits []string
		for _, it := range desk.Items {
			waits = append(waits, it.Waits+" "+it.Slug)
		}
		show("desk of "+p.name, waits, err)
	}
	curator := work.Caller{ID: 1, Name: "curator", Role: entry.Curator, Via: "service"}
	year := stocktake.Query{Since: storyEnd(now, time.UTC).AddDate(0, 0, -350).Format(time.DateOnly)}
	for name, q := range map[string]stocktake.Query{"": {}, " of a year": year} {
		for _, of := range []string{"", "entry", "application", "department", "kind"} {
			use, err := lib.Stocktake.Use(ctx, curator, q, of)
			show("use by "+of+name, use, err)
		}
		coverage, err := lib.Stocktake.Coverage(ctx, curator, q, "department", "application")
		show("coverage"+name, coverage, err)
		gaps, err := lib.Stocktake.Gaps(ctx, curator, q)
		show("gaps"+name, gaps, err)
		freshness, err := lib.Stocktake.Freshness(ctx, curator, q)
		for i := range freshness.Waiting {
			freshness.Waiting[i].Days = 0 // until now: the only figure that grows within a week
		}
		show("freshness"+name, freshness, err)
		people, err := lib.Stocktake.Contributors(ctx, curator, q)
		show("contributors"+name, people, err)
		costs, err := lib.Stocktake.Costs(ctx, curator, q)
		show("costs"+name, costs, err)
	}
	if !strings.Contains(out["use by entry"], "burst-main-notice") {
		t.Errorf("nothing was used: %s", out["use by entry"])
	}
	return out
}
