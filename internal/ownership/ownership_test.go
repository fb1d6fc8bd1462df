package ownership_test

import (
	"errors"
	"fmt"
	"testing"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/internal/index"
	"goldshelf/internal/jobs"
	"goldshelf/internal/ownership"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// Twelve who transfer entries, several at once and the other way round, and four who
// save in them meanwhile: all are answered, and nothing is given up.
func TestTransfersBesideSaves(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	var calls []func() error
	for i := range 8 {
		w.Create(testdb.Prompt(fmt.Sprintf("notice-%d", i), "Write to {{area}}.\n"))
	}
	own, other := ownership.New(w.DB), ownership.New(w.Second())
	write := writing.New(w.DB)
	for i := range 12 {
		service := []*ownership.Service{own, other}[i%2]
		from, to := "contributor", "second"
		if i%3 == 0 {
			from, to = to, from
		}
		calls = append(calls, func() error {
			if i%4 == 3 {
				_, err := service.TransferAll(ctx, w.By("curator"), from, to)
				return err
			}
			_, err := service.Transfer(ctx, w.By("curator"), fmt.Sprintf("notice-%d", i%8), to)
			return err
		})
	}
	for i := range 4 {
		slug := fmt.Sprintf("notice-%d", 2*i)
		calls = append(calls, func() error {
			for n := 0; n < 10; n++ {
				d, err := write.Draft(ctx, w.By("curator"), slug)
				if err != nil {
					return err
				}
				in := api.NewEntry{Content: d.Entry.Content}
				in.Body = fmt.Sprintf("Write %d times to {{area}}.\n", n)
				var clash *writing.Clash // an entry that was transferred meanwhile is read again
				if _, err := write.SaveDraft(ctx, w.By("curator"), slug, d.Revision, in); errors.As(err, &clash) {
					n--
				} else if err != nil {
					return err
				}
			}
			return nil
		})
	}
	for i, err := range testdb.Race(calls...) {
		var wrong problem.List // who owns it already by then is told so
		if err != nil && (i >= 12 || !errors.As(err, &wrong)) {
			t.Errorf("caller %d: %v", i, err)
		}
	}
}

// An entry is found by its owner's name, after a transfer by the new one's.
func TestFoundByItsOwner(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	finder, own := shelf.New(w.DB, texts.New(w.DB), index.New()), ownership.New(w.DB)
	finds := func(words string) int {
		t.Helper()
		if _, err := jobs.Index(ctx, w.DB); err != nil {
			t.Fatal(err)
		}
		list, err := finder.Shelf(ctx, work.Service(), shelf.Query{Text: words})
		if err != nil {
			t.Fatal(err)
		}
		return list.Total
	}
	if n := finds("contributor"); n != 1 {
		t.Errorf("by its owner %d are found", n)
	}
	if _, err := own.Transfer(ctx, w.By("curator"), "notice", "chief"); err != nil {
		t.Fatal(err)
	}
	if before, now := finds("contributor"), finds("chief"); before != 0 || now != 1 {
		t.Errorf("after the transfer %d are found by the owner before, and %d by the one now", before, now)
	}
}

// Of the two who answer one offer, one does.
func TestAnOfferIsAnsweredOnce(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	w.Create(testdb.Prompt("notice", "Write to {{area}}.\n"))
	own, other := ownership.New(w.DB), ownership.New(w.Second())
	if _, err := own.Transfer(ctx, w.By("contributor"), "notice", "second"); err != nil {
		t.Fatal(err)
	}
	errs := testdb.Race(
		func() error { _, err := own.Accept(ctx, w.By("second"), "notice"); return err },
		func() error { return other.Decline(ctx, w.By("second"), "notice") },
	)
	if (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("one offer was accepted and declined: %v", errs)
	}
}
