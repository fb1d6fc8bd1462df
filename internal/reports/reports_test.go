package reports_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/desk"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/notify"
	"goldshelf/internal/reports"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// What fell short waits on its owner's desk until a version names it, is settled once that
// is published, and whoever wrote it hears.
func TestAVersionSettlesReports(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, life := reports.New(w.DB), lifecycle.New(w.DB)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	bad, good := false, true
	short, err := s.Report(ctx, w.By("reader"), "notice", 0, api.NewReport{Worked: &bad, Model: "heron-2", Words: "It forgets the street.", Reply: "Dear all."})
	if err != nil || short.Version != 1 {
		t.Fatal(short, err)
	}
	if _, err := s.Report(ctx, w.By("tester"), "notice", 1, api.NewReport{Worked: &good}); err != nil {
		t.Fatal(err)
	}
	waits := func() bool {
		t.Helper()
		d, err := desk.New(w.DB).Desk(ctx, w.By("contributor"), 0, "")
		if err != nil {
			t.Fatal(err)
		}
		return slices.ContainsFunc(d.Items, func(it api.DeskItem) bool { return it.Action == entry.AnswerReport && it.Slug == "notice" })
	}
	if !waits() {
		t.Error("it is not on its owner's desk")
	}
	seen := func(name string) api.Reports {
		t.Helper()
		all, err := s.Reports(ctx, w.By(name), "notice", "")
		if err != nil {
			t.Fatal(err)
		}
		return all
	}
	if all := seen("second"); all.Worked != 1 || all.FellShort != 1 || all.Open != 1 || all.Items[1].Words == "" || all.Items[1].Reply != "" {
		t.Errorf("to another contributor: %+v", all)
	}
	if all := seen("contributor"); all.Items[1].Reply != "Dear all." {
		t.Errorf("to its owner: %+v", all)
	}

	w.Save("notice", testdb.Prompt("notice", "Write to every street of {{area}}.\n"))
	var wrong problem.List
	if _, err := life.Submit(ctx, w.By("contributor"), "notice", "Names streets.", short.ID, 999); !errors.As(err, &wrong) || wrong[0].Field != "/settles/1" {
		t.Errorf("a report that is not there: %v", err)
	}
	if _, err := life.Submit(ctx, w.By("contributor"), "notice", "Names streets.", short.ID); err != nil {
		t.Fatal(err)
	}
	if waits() {
		t.Error("a version names it, and it waits all the same")
	}
	if all := seen("second"); all.Items[1].SettledIn != 2 || all.Items[1].SettledAt != nil {
		t.Errorf("in review: %+v", all.Items[1])
	}
	if _, err := life.Approve(ctx, w.By("reviewer"), "notice", w.Seen("notice"), ""); err != nil {
		t.Fatal(err)
	}
	if _, err := life.Publish(ctx, w.By("curator"), "notice", w.Seen("notice"), nil); err != nil {
		t.Fatal(err)
	}
	if all := seen("second"); all.Items[1].SettledAt == nil || all.Open != 0 {
		t.Errorf("published: %+v", all.Items[1])
	}
	if n := news(t, w, "reader"); len(n) != 1 || n[0].Action != "publish" {
		t.Errorf("its writer hears %+v", n)
	}
	if n := news(t, w, "second"); len(n) != 0 {
		t.Errorf("somebody else hears %+v", n)
	}
}

func news(t *testing.T, w *testdb.World, name string) []api.NewsItem {
	t.Helper()
	n, err := notify.New(w.DB, nil).News(t.Context(), w.By(name), 0, "")
	if err != nil {
		t.Fatal(err)
	}
	return n.Items
}

// A report is answered once, by who answers for the entry, and its writer alone hears.
func TestAReportIsAnswered(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := reports.New(w.DB)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	if err := notify.New(w.DB, nil).Follow(ctx, w.By("tester"), api.Follow{What: "entry", Name: "notice"}, true); err != nil {
		t.Fatal(err)
	}
	bad := false
	r, err := s.Report(ctx, w.By("reader"), "notice", 0, api.NewReport{Worked: &bad, Words: "Too short."})
	if err != nil {
		t.Fatal(err)
	}
	var refused *entry.Refusal
	if err := s.Answer(ctx, w.By("second"), "notice", r.ID, "So it is meant."); !errors.As(err, &refused) {
		t.Errorf("anyone answers: %v", err)
	}
	var wrong problem.List
	if err := s.Answer(ctx, w.By("contributor"), "notice", r.ID, " "); !errors.As(err, &wrong) {
		t.Errorf("without words: %v", err)
	}
	errs := testdb.Race(
		func() error { return s.Answer(ctx, w.By("contributor"), "notice", r.ID, "So it is meant.") },
		func() error { return s.Answer(ctx, w.By("curator"), "notice", r.ID, "It will change.") },
	)
	if (errs[0] == nil) == (errs[1] == nil) || !errors.Is(errors.Join(errs...), work.ErrNotFound) {
		t.Errorf("two at once: %v", errs)
	}
	if n := news(t, w, "reader"); len(n) != 1 || n[0].Action != "answer-report" || n[0].Why.IsZero() {
		t.Errorf("its writer hears %+v", n)
	}
	if n := news(t, w, "tester"); len(n) != 0 {
		t.Errorf("who follows the entry hears %+v", n)
	}
}

func TestReportsThatDoNotHold(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := reports.New(w.DB)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	w.Create(testdb.Prompt("draft", "Write to {{area}}.\n"))
	yes := true
	var wrong problem.List
	if _, err := s.Report(ctx, w.By("reader"), "notice", 0, api.NewReport{Words: strings.Repeat("x", 5000), Reply: "\x00"}); !errors.As(err, &wrong) || len(wrong) != 3 {
		t.Errorf("all that is wrong: %v", err)
	}
	for _, of := range []struct {
		slug   string
		number int
	}{{"draft", 0}, {"nowhere", 0}, {"notice", 2}} {
		if _, err := s.Report(ctx, w.By("reader"), of.slug, of.number, api.NewReport{Worked: &yes}); !errors.Is(err, work.ErrNotFound) {
			t.Errorf("%s@%d: %v", of.slug, of.number, err)
		}
	}
	for range 20 {
		if _, err := s.Report(ctx, w.By("reader"), "notice", 0, api.NewReport{Worked: &yes}); err != nil {
			t.Fatal(err)
		}
	}
	var refused *entry.Refusal
	if _, err := s.Report(ctx, w.By("reader"), "notice", 0, api.NewReport{Worked: &yes}); !errors.As(err, &refused) {
		t.Errorf("without an end: %v", err)
	}
}
