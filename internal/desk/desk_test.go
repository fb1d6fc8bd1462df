package desk_test

import (
	"fmt"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/internal/desk"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/settings"
	"goldshelf/internal/testdb"
)

// What waits is told by what its one action is, a page at a time, each thing once.
func TestTheDeskByPages(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, life := desk.New(w.DB), lifecycle.New(w.DB)
	for i := range 5 {
		in := testdb.Prompt(fmt.Sprintf("notice-%d", i), fmt.Sprintf("Write %d to {{area}}.\n", i))
		w.Create(in)
		if _, err := life.Submit(ctx, w.By("contributor"), in.Slug, "Ready."); err != nil {
			t.Fatal(err)
		}
	}
	seen := map[string]bool{}
	cursor := ""
	for range 5 {
		page, err := s.Desk(ctx, w.By("reviewer"), 2, cursor)
		if err != nil || page.Total != 5 {
			t.Fatalf("a page of a desk with %d things, %v", page.Total, err)
		}
		for _, it := range page.Items {
			if seen[it.Slug] || it.Action != "approve" {
				t.Errorf("%s stands there as %s, before: %t", it.Slug, it.Action, seen[it.Slug])
			}
			seen[it.Slug] = true
		}
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	if len(seen) != 5 {
		t.Errorf("only %v were shown", seen)
	}
	if own, err := s.Desk(ctx, w.By("contributor"), 0, ""); err != nil || own.Total != 0 {
		t.Errorf("on the writer's desk there are %d things, %v", own.Total, err)
	}
	if _, err := s.Desk(ctx, w.By("reviewer"), 2, "no cursor"); err == nil {
		t.Error("a cursor that no page gave is taken")
	}
}

// What is to be looked at again waits from the day on that begins where the library is.
func TestStaleByTheLibrarysDay(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := desk.New(w.DB)
	now, err := settings.New(w.DB).Library(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := settings.New(w.DB).SetLibrary(ctx, w.By("curator"), now.Number, api.Library{Name: "Larkfen Water", Zone: "Pacific/Kiritimati"}); err != nil {
		t.Fatal(err) // 14 hours ahead of UTC
	}
	w.Clock.Pass(time.Until(time.Date(time.Now().Year()+1, 1, 10, 8, 0, 0, 0, time.UTC))) // 22:00 there
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	waits := func() int {
		t.Helper()
		d, err := s.Desk(ctx, w.By("contributor"), 0, "")
		if err != nil {
			t.Fatal(err)
		}
		n := 0
		for _, it := range d.Items {
			if it.Action == "renew" {
				n++
			}
		}
		return n
	}
	w.Clock.Pass(180 * 24 * time.Hour) // its day, 22:00
	if n := waits(); n != 0 {
		t.Errorf("on its last day %d wait", n)
	}
	w.Clock.Pass(3 * time.Hour) // the day after, 01:00, and still the same one in UTC
	if n := waits(); n != 1 {
		t.Errorf("on the day after %d wait", n)
	}
}
