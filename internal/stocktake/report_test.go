package stocktake_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"goldshelf/core/message"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/testdb"
)

// A report is made once for each language that a channel wants it in, however many services
// look for what is due, and told to those channels alone.
func TestReportsAreMadeOnce(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	w.Exec(`insert into hooks (title, url, secret, actions, departments, set_by, set_at, active, report, language)
	        select title, 'https://board.example', '', '{}', '{}', (select min(id) from people), now(), title <> 'paused', every, language
	        from (values ('weekly', 'week', 'en'), ('twin', 'week', 'en'), ('monthly', 'month', 'de'), ('none', '', ''), ('paused', 'week', 'fr')) c (title, every, language)`)
	other := stocktake.New(w.Second())
	for _, err := range testdb.Race(
		func() error { return s.MakeReports(t.Context()) },
		func() error { return other.MakeReports(t.Context()) },
	) {
		if err != nil {
			t.Error(err)
		}
	}
	told := func(want string) {
		t.Helper()
		var got []string
		w.Select(&got, `
			select h.title || ' ' || r.since || ' to ' || r.until
			from deliveries d
			join hooks h on h.id = d.hook_id
			join events v on v.id = d.event_id and v.action = 'stocktake-report'
			join stocktake_reports r on r.id = (v.detail ->> 'report')::bigint
			order by h.title, r.since`)
		if strings.Join(got, ", ") != want {
			t.Errorf("told was %s, want %s", strings.Join(got, ", "), want)
		}
	}
	const first = "monthly 2026-10-05 to 2026-11-02, twin 2026-11-16 to 2026-11-23, weekly 2026-11-16 to 2026-11-23"
	told(first)
	if err := s.MakeReports(t.Context()); err != nil {
		t.Error(err)
	}
	told(first)
	var text []string
	w.Select(&text, `select text from stocktake_reports where every = 'month'`)
	if !strings.Contains(text[0], "# Inventur, 5. Oktober 2026 bis 1. November 2026") || !strings.Contains(text[0], "[Prompt first](/entries/first)") {
		t.Errorf("the report reads %s", text[0])
	}
	var wrong []int
	w.Select(&wrong, `select 1 from news n join events v on v.id = n.event_id where v.action = 'stocktake-report'`)
	if len(wrong) > 0 {
		t.Error("a report is somebody's news")
	}

	w.Clock.Pass(7 * 24 * time.Hour)
	later := stocktake.New(w.DB) // which has read nothing before
	w.Exec(`update library set held_since = now()`)
	if err := later.MakeReports(t.Context()); err != nil {
		t.Error(err)
	}
	told(first)
	w.Exec(`update library set held_since = null`)
	if err := later.MakeReports(t.Context()); err != nil {
		t.Error(err)
	}
	told("monthly 2026-10-05 to 2026-11-02, twin 2026-11-16 to 2026-11-23, twin 2026-11-23 to 2026-11-30, weekly 2026-11-16 to 2026-11-23, weekly 2026-11-23 to 2026-11-30")
}

// A report says whose entries are used where five people or more used them, and is for
// curators; what somebody called an entry is a text in it, and nothing else.
func TestAReport(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	odd := testdb.Prompt("odd", "Odd {{area}}.\n")
	odd.Title = "A [link](javascript:1) <b>x</b>"
	w.Publish(odd)
	w.Exec(`insert into uses (at, entry_id, number, person, own, application, department, how, persona)
	        select at, (select id from entries where slug = 'odd'), 1, person, false, application, department, how, persona from uses`)
	w.Exec(`delete from use_rolled`)
	if _, err := s.RollUp(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Report(t.Context(), w.By("reviewer"), stocktake.Query{}, message.English); err == nil {
		t.Error("a reviewer takes stock")
	}
	r, err := s.Report(t.Context(), w.By("curator"), stocktake.Query{}, message.English)
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"# Stocktake, ", "## What works", "## What is missing", "## What has gone stale", "## What it costs", "Nobody used 1 of the entries", `[A \[link\](javascript:1)`} {
		if !strings.Contains(r.Markdown, want) {
			t.Errorf("it does not say %q:\n%s", want, r.Markdown)
		}
	}
	if strings.Contains(r.HTML, "<b>") || strings.Contains(r.HTML, `href="javascript`) {
		t.Errorf("a title is more than a text: %s", r.HTML)
	}
	if !strings.Contains(r.Markdown, "## Thanks to") {
		t.Errorf("nobody is thanked:\n%s", r.Markdown)
	}
	w.Exec(`update uses set person = decode(lpad('1', 32, '0'), 'hex'); delete from use_rolled; delete from use_days; delete from use_weeks; delete from use_week_people`)
	few := stocktake.New(w.DB)
	if _, err := few.RollUp(t.Context()); err != nil {
		t.Fatal(err)
	}
	q := stocktake.Query{Since: "2026-11-16", Until: "2026-11-22"} // one person in one week
	if r, err = few.Report(t.Context(), w.By("curator"), q, message.English); err != nil || strings.Contains(r.Markdown, "## Thanks to") {
		t.Errorf("of one person it is said whose entries they used: %v\n%s", err, r.Markdown)
	}
}

// Thanks are said once for the same weeks, however often they are sent, and to whom they are for.
func TestThanks(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	by, q := w.By("curator"), stocktake.Query{}
	if err := s.Thank(t.Context(), w.By("contributor"), "contributor", q); err == nil {
		t.Error("a contributor thanks themselves")
	}
	if err := s.Thank(t.Context(), by, "reader", q); err == nil || !strings.Contains(err.Error(), "nobody called") {
		t.Errorf("somebody without entries is thanked: %v", err)
	}
	if err := s.Thank(t.Context(), by, by.Name, q); err == nil || !strings.Contains(err.Error(), "thanks are for others") {
		t.Errorf("a curator thanks themselves: %v", err)
	}
	said := 0
	for _, err := range testdb.Race(
		func() error { return s.Thank(t.Context(), by, "contributor", q) },
		func() error { return stocktake.New(w.Second()).Thank(t.Context(), by, "contributor", q) },
	) {
		if err == nil {
			said++
		} else if !strings.Contains(err.Error(), "already") {
			t.Error(err)
		}
	}
	var news []string
	w.Select(&news, `select p.name || ' ' || (v.detail ->> 'people') from news n join events v on v.id = n.event_id join people p on p.id = n.person_id where v.action = 'thanks'`)
	if said != 1 || len(news) != 1 || !strings.HasPrefix(news[0], "contributor ") {
		t.Errorf("thanked %d times, and told are %q", said, news)
	}
	all, err := s.Contributors(t.Context(), by, q)
	if err != nil || !all.Items[0].Thanked {
		t.Errorf("the contributors are %+v, %v", all, err)
	}
	if err := s.Thank(t.Context(), by, "contributor", stocktake.Query{Since: "2026-10-05", Until: "2026-10-18"}); err != nil {
		t.Errorf("for other weeks: %v", err)
	}
}

// A report tells of the searches of its own days, by the library's clock; what is missing now
// is told until now.
func TestAReportTellsOfItsOwnSearches(t *testing.T) {
	t.Parallel()
	w, s := autumn(t)
	w.Exec(`insert into missed_searches (day, words, times)
	        values ('2026-10-04', 'before it', 3), ('2026-10-05', 'first day', 3), ('2026-10-18', 'last day', 3), ('2026-10-19', 'after it', 3), ('2026-11-27', 'today', 3)`)
	r, err := s.Report(t.Context(), w.By("curator"), stocktake.Query{Since: "2026-10-05", Until: "2026-10-18"}, message.English)
	if err != nil {
		t.Fatal(err)
	}
	for words, want := range map[string]bool{"before it": false, "first day": true, "last day": true, "after it": false, "today": false} {
		if strings.Contains(r.Markdown, words) != want {
			t.Errorf("%q is told: %t, want %t\n%s", words, !want, want, r.Markdown)
		}
	}
	gaps, err := s.Gaps(t.Context(), w.By("curator"), stocktake.Query{})
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(fmt.Sprint(gaps.Items), "today") {
		t.Errorf("what is missing now is %+v", gaps.Items)
	}
}
