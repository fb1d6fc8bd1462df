package audit_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/audit"
	"goldshelf/internal/labels"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// Many who change the library at once, through two services, leave one chain that
// holds; one record that was changed behind it is found.
func TestTheChainHolds(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := audit.New(w.DB)
	both := []*labels.Service{labels.New(w.DB), labels.New(w.Second())}
	var calls []func() error
	for i := range 16 {
		calls = append(calls, func() error {
			_, err := both[i%2].Add(ctx, w.By("curator"), api.NewLabel{Facet: "department", Term: fmt.Sprintf("team-%d", i), Title: "Team"})
			return err
		})
	}
	for _, err := range testdb.Race(calls...) {
		if err != nil {
			t.Error(err)
		}
	}
	v, err := s.Verify(ctx, w.By("curator"), "")
	if err != nil || v.Broken != 0 || v.Records < 16 {
		t.Fatalf("got %+v, %v", v, err)
	}
	if again, err := audit.Verify(ctx, w.DB, v.Head); err != nil || again.Broken != 0 {
		t.Errorf("against what it gave: %+v, %v", again, err)
	}
	if err := w.AsService("update events set detail = '{}' where id = 3"); err == nil {
		t.Error("the service's role can change a record")
	}
	page, err := s.Records(ctx, w.By("curator"), audit.Query{Action: "add-term", Limit: 10})
	if err != nil || len(page.Items) != 10 || page.Next == "" {
		t.Fatalf("a page of %d, %v", len(page.Items), err)
	}
	rest, err := s.Records(ctx, w.By("curator"), audit.Query{Action: "add-term", Limit: 10, Cursor: page.Next})
	if err != nil || len(rest.Items) != 6 {
		t.Errorf("and one of %d, %v", len(rest.Items), err)
	}
	var refused *entry.Refusal
	if _, err := s.Records(ctx, w.By("reviewer"), audit.Query{}); !errors.As(err, &refused) {
		t.Errorf("by a reviewer: %v", err)
	}
	csv, err := s.Export(ctx, w.By("curator"), "csv", audit.Query{})
	if err != nil || strings.Count(string(csv), "\n") != int(v.Records)+1 {
		t.Errorf("of %d records the export has %d lines, %v", v.Records, strings.Count(string(csv), "\n"), err)
	}
}

// What is recorded in one unit is in one order with all others: nobody sees a record
// before those with a lower number.
func TestNumbersComeInOrder(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := audit.New(w.DB)
	record := func() error {
		return work.Run(ctx, w.DB, w.By("curator"), func(u *work.Unit) error {
			u.Record("add-term", 0, 0, nil)
			u.Record("add-term", 0, 0, nil)
			return nil
		})
	}
	seen := func() error {
		last := int64(0)
		for range 40 {
			page, err := s.Records(ctx, w.By("curator"), audit.Query{Limit: 1})
			if err != nil {
				return err
			}
			if len(page.Items) == 0 {
				continue
			}
			if n := page.Items[0].Number; n < last || n%2 != 0 {
				return fmt.Errorf("after record %d the newest is %d", last, n)
			} else {
				last = n
			}
		}
		return nil
	}
	calls := []func() error{seen}
	for range 12 {
		calls = append(calls, record)
	}
	for _, err := range testdb.Race(calls...) {
		if err != nil {
			t.Error(err)
		}
	}
}
