package store_test

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"

	"goldshelf/core/entry"
	"goldshelf/internal/store"
)

// Saving many texts and working through what was saved hold several drafts at once,
// and never wait for each other.
func TestSavingAndIndexingDoNotWaitForEachOther(t *testing.T) {
	t.Parallel()
	db, _ := shelved(t)
	ctx := context.Background()
	const drafts, rounds = 60, 80
	texts := make([]store.Text, drafts)
	err := db.Change(ctx, time.Now(), func(tx store.Tx) error {
		for i := range texts {
			id, err := tx.AddEntry(store.Entry{Slug: fmt.Sprintf("draft-%d", i), Kind: "snippet", OwnerID: 1}, 1, time.Now())
			if err != nil {
				return err
			}
			version, err := tx.AddVersion(id, 1, 1, time.Now())
			if err != nil {
				return err
			}
			texts[i] = store.Text{ID: version, Revision: 1, By: 1, Content: entry.Content{Kind: entry.Snippet, Title: "Draft"}}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	saving, done := context.WithCancel(ctx)
	var indexing sync.WaitGroup
	for range 2 {
		indexing.Go(func() {
			for saving.Err() == nil {
				versions, err := db.Ask(ctx, time.Now()).Unindexed(drafts)
				if err != nil {
					t.Error(err)
					return
				}
				var all []store.Indexed
				for _, v := range slices.Backward(versions) {
					all = append(all, store.Indexed{ID: v.ID, Revision: v.Revision})
				}
				if err := db.Change(ctx, time.Now(), func(tx store.Tx) error { return tx.Index(all) }); err != nil {
					t.Errorf("working through them: %v", err)
				}
			}
		})
	}
	for n := range rounds {
		for i := range texts {
			texts[i].Content.Body, texts[i].At = fmt.Sprintf("Text %d.\n", n), time.Now()
		}
		var ids []int64
		err := db.Change(ctx, time.Now(), func(tx store.Tx) (err error) {
			ids, err = tx.SaveTexts(texts)
			return err
		})
		if err != nil || len(ids) != drafts {
			t.Errorf("round %d: %d of %d were saved, %v", n, len(ids), drafts, err)
			break
		}
		for i := range texts {
			texts[i].Revision++
		}
	}
	done()
	indexing.Wait()
}
