package ownership_test

import (
	"errors"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/internal/ownership"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// Many entries change hands as it was shown, all of them or none; what has changed since it was
// shown, or is not the caller's to give, is said of every one.
func TestManyEntriesChangeHands(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	w.Create(testdb.Prompt("first", "One.\n"), testdb.Prompt("second", "Two.\n"), testdb.Prompt("third", "Three.\n"))
	s, ctx, curator := ownership.New(w.DB), t.Context(), w.By("curator")
	if _, err := s.Transfer(ctx, curator, "third", "second"); err != nil {
		t.Fatal(err)
	}
	all := []string{"third", "second", "first"}
	req := api.TransferMany{Slugs: all, To: "second"}
	before := w.Rows()["events"]
	plan, err := s.PlanTransfer(ctx, curator, req)
	if err != nil || len(plan.Items) != 2 || plan.Items[0].Slug != "first" || plan.Items[0].Title != "Prompt first" || plan.Items[0].Owner != "contributor" || plan.Items[0].Offered || plan.Same != 1 {
		t.Fatalf("the plan is %+v, %v", plan, err)
	}
	if n := w.Rows()["events"]; n != before {
		t.Errorf("a plan is %d records of changes", n-before)
	}
	var outdated *work.Outdated
	if _, err := s.TransferMany(ctx, curator, req); !errors.As(err, &outdated) {
		t.Errorf("without what was shown: %v", err)
	}
	req.Digest = plan.Digest
	if _, err := s.Transfer(ctx, curator, "first", "chief"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.TransferMany(ctx, curator, req); !errors.As(err, &outdated) {
		t.Errorf("where another one changed hands meanwhile: %v", err)
	}
	plan, err = s.PlanTransfer(ctx, curator, req)
	if err != nil {
		t.Fatal(err)
	}
	req.Digest = plan.Digest
	do := func() error { _, err := s.TransferMany(ctx, curator, req); return err }
	done := 0
	for _, err := range testdb.Race(do, do) {
		switch {
		case err == nil:
			done++
		case !errors.As(err, &outdated):
			t.Error(err)
		}
	}
	var owned []int
	w.Select(&owned, `select count(*)::int from entries where owner_id = (select id from people where name = 'second')`)
	if done != 1 || owned[0] != 3 {
		t.Errorf("transferred %d times, and they own %d", done, owned[0])
	}
}

// Whoever is no curator offers what is theirs; what is not is told of every entry.
func TestOnlyOnesOwnIsTransferredTogether(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	w.Create(testdb.Prompt("first", "One.\n"), testdb.Prompt("second", "Two.\n"))
	w.Publish(testdb.Prompt("third", "Three.\n"), testdb.Prompt("fourth", "Four.\n"))
	s, ctx := ownership.New(w.DB), t.Context()
	plan, err := s.PlanTransfer(ctx, w.By("contributor"), api.TransferMany{Slugs: []string{"first", "second"}, To: "chief"})
	if err != nil || len(plan.Items) != 2 || !plan.Items[1].Offered {
		t.Fatalf("the plan is %+v, %v", plan, err)
	}
	out, err := s.TransferMany(ctx, w.By("contributor"), api.TransferMany{Slugs: []string{"second", "first"}, To: "chief", Digest: plan.Digest})
	if err != nil || len(out.Offered) != 2 || len(out.Done) != 0 {
		t.Errorf("it is %+v, %v", out, err)
	}
	for name, tt := range map[string]struct {
		by    string
		req   api.TransferMany
		wrong string
		n     int
	}{
		"others'":       {"second", api.TransferMany{Slugs: []string{"third", "fourth"}, To: "chief"}, "may transfer", 2},
		"none":          {"curator", api.TransferMany{To: "chief"}, "there are none", 1},
		"too many":      {"curator", api.TransferMany{Slugs: make([]string, 2001), To: "chief"}, "at most 2000", 1},
		"to a reader":   {"curator", api.TransferMany{Slugs: []string{"third"}, To: "reader"}, "a reader owns nothing", 1},
		"not there":     {"curator", api.TransferMany{Slugs: []string{"fifth"}, To: "chief"}, "fifth", 0},
		"named twice":   {"curator", api.TransferMany{Slugs: []string{"third", "third"}, To: "chief"}, "name it once", 1},
		"no characters": {"curator", api.TransferMany{Slugs: []string{"\x00", "\x00"}, To: "chief"}, "", 2},
	} {
		_, err := s.PlanTransfer(ctx, w.By(tt.by), tt.req)
		var wrong problem.List
		if err == nil || !strings.Contains(err.Error(), tt.wrong) || errors.As(err, &wrong) && len(wrong) != tt.n {
			t.Errorf("%s: %v, want %q in %d problems", name, err, tt.wrong, tt.n)
		}
	}
}
