package shelf_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/index"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// The shelf is searched by words and labels, page by page, and filled in from.
func TestTheShelf(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	for i := range 5 {
		w.Publish(testdb.Prompt(fmt.Sprintf("notice-%d", i), fmt.Sprintf("Write notice %d to {{area}}.\n", i)))
	}
	first, err := s.Shelf(ctx, work.Service(), shelf.Query{Text: "noti", Limit: 3})
	if err != nil || first.Total != 5 || len(first.Items) != 3 || first.Next == "" {
		t.Fatalf("a page: %d of %d, %v", len(first.Items), first.Total, err)
	}
	rest, err := s.Shelf(ctx, work.Service(), shelf.Query{Text: "noti", Limit: 3, Cursor: first.Next})
	if err != nil || len(rest.Items) != 2 {
		t.Errorf("the rest: %d, %v", len(rest.Items), err)
	}
	if none, err := s.Shelf(ctx, work.Service(), shelf.Query{Text: "noti", Labels: map[string][]string{"department": {"laboratory"}}}); err != nil || none.Total != 0 {
		t.Errorf("of the laboratory there are %d, %v", none.Total, err)
	}
	var wrong problem.List
	if _, err := s.Shelf(ctx, work.Service(), shelf.Query{Labels: map[string][]string{"mood": {"calm"}}, Cursor: "x"}); !errors.As(err, &wrong) {
		t.Errorf("a facet that is not there: %v", err)
	}
	filled, err := s.Fill(ctx, w.By("reader"), "notice-2", 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane")}})
	if err != nil || filled.Text != "Write notice 2 to Mill Lane.\n" {
		t.Errorf("filled: %q, %v", filled.Text, err)
	}
	if _, err := s.Fill(ctx, w.By("reader"), "notice-2", 0, api.FillRequest{}); !errors.As(err, &wrong) || !strings.Contains(err.Error(), "Which streets?") {
		t.Errorf("without a value: %v", err)
	}
}

// What is searched for and not found is counted, without a name and without numbers that
// may be somebody's; what is found is not.
func TestMissedSearches(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Prompt("one", "Write to {{area}}.\n"))
	records := w.Rows()["events"]
	for _, text := range []string{"xqhelicopter", "Xqhelicopter!", "xqaccount 12 345 678-9", "xqmail to jo@mail.example", "write area", "", "?!", strings.Repeat("xqlong ", 300)} {
		if err := s.MissedSearch(ctx, w.By("reader"), api.Searched{Words: text}); err != nil {
			t.Errorf("%.20q: %v", text, err)
		}
	}
	// Unopened is only what is found, and is no search that found nothing.
	for _, text := range []string{"write area", "write area", "xqhelicopter"} {
		if err := s.MissedSearch(ctx, w.By("reader"), api.Searched{Words: text, Unopened: true}); err != nil {
			t.Errorf("%q unopened: %v", text, err)
		}
	}
	if n := w.Count("missed_searches where words = 'write area' and unopened = 2 and times = 0"); n != 1 || w.Count("missed_searches where unopened > 0") != 1 {
		t.Errorf("what was found and not opened is %d times kept", n)
	}
	got, err := s.Missed(ctx, w.By("curator"))
	if err != nil || len(got.Items) != 4 || got.Items[0].Words != "xqhelicopter" || got.Items[0].Times != 2 {
		t.Errorf("missed are %+v, %v", got.Items, err)
	}
	for _, m := range got.Items {
		if strings.ContainsAny(m.Words, "0123456789@") || len(m.Words) > 200 {
			t.Errorf("kept is %q", m.Words)
		}
	}
	if now := w.Rows()["events"]; now != records {
		t.Errorf("%d records were made of it", now-records)
	}
	var refused *entry.Refusal
	if _, err := s.Missed(ctx, w.By("reviewer")); !errors.As(err, &refused) {
		t.Errorf("a reviewer: %v", err)
	}
}

// Favourites are one's own, on the shelf, and the last that was added first.
func TestFavourites(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Prompt("one", "Write to {{area}}.\n"), testdb.Prompt("two", "Write again to {{area}}.\n"))
	w.Create(testdb.Prompt("draft", "Not yet {{area}}.\n"))
	reader := w.By("reader")
	has := func(by work.Caller, want string) {
		t.Helper()
		all, err := s.Favourites(ctx, by)
		var slugs []string
		for _, it := range all.Items {
			slugs = append(slugs, it.Slug)
		}
		if got := strings.Join(slugs, " "); err != nil || got != want {
			t.Errorf("the favourites are %q, %v; want %q", got, err, want)
		}
	}
	has(reader, "")
	for _, slug := range []string{"one", "two", "one"} { // twice is once
		if err := s.Favour(ctx, reader, slug, true); err != nil {
			t.Fatal(err)
		}
	}
	has(reader, "two one")
	has(w.By("contributor"), "")
	var missing *work.Missing
	if err := s.Favour(ctx, reader, "draft", true); !errors.As(err, &missing) {
		t.Errorf("a draft that is not theirs to see: %v", err)
	}
	var refused *entry.Refusal
	if err := s.Favour(ctx, w.By("contributor"), "draft", true); !errors.As(err, &refused) {
		t.Errorf("their own draft: %v", err)
	}
	if _, err := lifecycle.New(w.DB).Retire(ctx, w.By("curator"), "two", api.Retirement{Because: "Old."}); err != nil {
		t.Fatal(err)
	}
	has(reader, "one")
	for range 2 {
		if err := s.Favour(ctx, reader, "one", false); err != nil {
			t.Error(err)
		}
	}
	has(reader, "")
}

// Readers fill in while an entry is retired and restored: each gets the text, or why
// not, and nothing else.
func TestFillsBesideRetirement(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, life := shelf.New(w.DB, texts.New(w.DB), index.New()), lifecycle.New(w.DB)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	stop := make(chan struct{})
	reader := func() error {
		for {
			select {
			case <-stop:
				return nil
			default:
			}
			_, err := s.Fill(ctx, w.By("reader"), "notice", 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane")}})
			var gone *texts.Gone
			if err != nil && !errors.As(err, &gone) {
				return err
			}
		}
	}
	curator := func() error {
		defer close(stop)
		for range 8 {
			if _, err := life.Retire(ctx, w.By("curator"), "notice", api.Retirement{Because: "Old."}); err != nil {
				return err
			}
			var gone *texts.Gone
			if _, err := s.Fill(ctx, w.By("reader"), "notice", 0, api.FillRequest{Sketch: true}); !errors.As(err, &gone) {
				return fmt.Errorf("retired, it is filled in: %w", err)
			}
			if _, err := life.Restore(ctx, w.By("curator"), "notice"); err != nil {
				return err
			}
		}
		return nil
	}
	for _, err := range testdb.Race(reader, reader, reader, curator) {
		if err != nil {
			t.Error(err)
		}
	}
}

// What uses an entry is seen by whom it concerns; drafts are nobody else's.
func TestUses(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Part(entry.Snippet, "close-kindly", "Close kindly.\n"), testdb.Prompt("notice", "Write to {{area}}. {{include close-kindly}}\n"))
	w.Create(testdb.Prompt("draft-notice", "Write soon to {{area}}. {{include close-kindly}}\n"))
	uses, err := s.Uses(ctx, w.By("reader"), "close-kindly")
	if err != nil || len(uses.Items) != 1 || uses.Items[0].Slug != "notice" {
		t.Errorf("a reader sees %+v, %v", uses.Items, err)
	}
	if _, err := s.Entry(ctx, w.By("second"), "draft-notice"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("someone else's draft: %v", err)
	}
	if list, err := s.Entries(ctx, w.By("contributor"), shelf.Query{Mine: true}); err != nil || list.Total != 3 {
		t.Errorf("its writer has %d, %v", list.Total, err)
	}
}
