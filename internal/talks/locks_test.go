package talks_test

import (
	"slices"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/internal/store"
)

// Holding replies and ending some of them in the same moment, each in an order of its own, makes
// nobody wait in a circle: the database would end one of the two.
func TestHoldsAndEndsDoNotCross(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	for range 50 {
		w.try(t, trying(api.TryColumn{Model: "heron-2"}, api.TryColumn{Model: "heron-2"}, api.TryColumn{Model: "heron-2"}, api.TryColumn{Model: "heron-2"}))
	}
	change := func(do func(store.Tx) error) error {
		return w.Store.Change(t.Context(), w.Clock.Now(), func(tx store.Tx) error {
			if err := tx.LookAtAll(); err != nil {
				return err
			}
			return do(tx)
		})
	}
	var rows []store.Reply
	for range 2 {
		if err := change(func(tx store.Tx) error {
			more, err := tx.ClaimReplies(100, w.Clock.Now().Add(time.Hour))
			for i := range more {
				more[i].State, more[i].Text = store.ReplyDone, "It is mended."
			}
			rows = append(rows, more...)
			return err
		}); err != nil {
			t.Fatal(err)
		}
	}
	if len(rows) < 100 {
		t.Fatalf("%d were claimed", len(rows))
	}
	held := make([]store.Held, len(rows))
	for i, r := range rows {
		held[i] = store.Held{ID: r.ID, Attempt: r.Attempts}
	}
	slices.Reverse(held)
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for range 10 {
				if err := change(func(tx store.Tx) error { _, err := tx.HoldReplies(held, w.Clock.Now().Add(time.Hour)); return err }); err != nil {
					t.Errorf("a hold: %v", err)
				}
			}
		})
	}
	all.Go(func() {
		for lot := range slices.Chunk(rows, 25) {
			if err := change(func(tx store.Tx) error { return tx.EndReplies(lot) }); err != nil {
				t.Errorf("an end: %v", err)
			}
		}
	})
	all.Wait()
}
